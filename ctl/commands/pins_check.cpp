// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/commands/pins_check.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/pins/pin_check.h"
#include "ctl/json_out.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

std::string foundText(const bench::LabelledPin& pin) {
  if (pin.moves) return "moves";
  return !pin.level ? "cannot be sampled" : *pin.level ? "1" : "0";
}

std::string line(const bench::LabelledPin& pin) {
  const std::string wanted = !pin.label.level ? ""
                             : pin.differs()  ? fmt::format("  should be {}", *pin.label.level ? 1 : 0)
                                              : "  as it should be";
  return fmt::format("{:<14}{:<14}{:<18}{}{}", pin.label.device, pin.label.port, pin.label.name, foundText(pin),
                     wanted);
}

Json pinJson(const bench::LabelledPin& pin) {
  Json json{{"device", pin.label.device}, {"port", pin.label.port}};
  if (!pin.label.name.empty()) json["name"] = pin.label.name;
  json["level"] = pin.label.level ? Json(*pin.label.level ? 1 : 0) : Json(nullptr);
  json["in"] = pin.level ? Json(*pin.level ? 1 : 0) : Json(nullptr);
  json["moves"] = pin.moves;
  json["differs"] = pin.differs();
  return json;
}

}  // namespace

int checkPins(const SheetOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  bench->checkChain();
  const std::vector<bench::LabelledPin> pins = bench::readLabelledPins(*bench);
  std::size_t checked = 0, differ = 0;
  Json list = Json::array();
  for (const bench::LabelledPin& pin : pins) {
    checked += pin.label.level ? 1 : 0;
    differ += pin.differs() ? 1 : 0;
    if (options.json) list.push_back(pinJson(pin));
    if (!options.json) context.out << line(pin) << "\n";
  }
  if (options.json) {
    print(context, {{"result", differ == 0 ? "agrees" : "differs"},
                    {"checked", checked},
                    {"differ", differ},
                    {"pins", std::move(list)}});
  } else {
    context.err << fmt::format("imprimoctl: {} of {} as the sheet has them\n", checked - differ,
                               countText(checked, "level"));
  }
  return differ == 0 ? 0 : 1;
}

}  // namespace imprimo::ctl
