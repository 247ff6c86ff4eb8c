// SPDX-License-Identifier: GPL-3.0-or-later
//
// Which pins of a device lead to a memory.
#include <fmt/format.h>

#include <chrono>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/bench.h"
#include "core/bench/pins/pin_route.h"
#include "core/pins/wire_search.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct FindOptions : SheetOptions {
  std::string device, kind, among;
};

void addOptions(OptionList& own, FindOptions& options) {
  own.option("SHEET", options.sheet, "the job sheet").required();
  own.option("DEVICE", options.device, "whose pins, by its name in the sheet").required();
  own.option("MEMORY-KIND", options.kind, "what is looked for: spi-nor").required();
  own.option("--among", options.among, "the ports that it may be, 4 to 16, separated by commas")
      .required()
      .typeName("PORTS");
}

/// Cut at commas that are not inside parentheses.
std::vector<std::string> namesOf(const std::string& list) {
  std::vector<std::string> names(1);
  int depth = 0;
  for (const char c : list) {
    depth += c == '(' ? 1 : c == ')' ? -1 : 0;
    if (c == ',' && depth == 0) {
      names.emplace_back();
    } else if (c != ' ') {
      names.back() += c;
    }
  }
  return names;
}

int runFind(const FindOptions& options, const Context& context) {
  if (options.kind != "spi-nor")
    throw Error(ErrorKind::Usage, fmt::format("{} cannot be looked for", options.kind), "Only spi-nor can.");
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::size_t position = bench::positionOf(sheet, options.device);
  const pins::BoundaryPorts ports = pins::boundaryPorts(bench::descriptionOf(sheet, position));
  std::vector<std::size_t> candidates;
  for (const std::string& name : namesOf(options.among)) candidates.push_back(ports.at(name));
  if (candidates.size() < pins::WireSearch::kFewest || candidates.size() > pins::WireSearch::kMost)
    throw Error(ErrorKind::Usage, fmt::format("--among names {}", countText(candidates.size(), "port")),
                fmt::format("Name {} to {}.", pins::WireSearch::kFewest, pins::WireSearch::kMost));
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  bench->checkChain();
  const auto scan = bench->openPins(position);
  pins::WireSearch search(*scan, candidates);
  if (!options.json)
    context.err << fmt::format(
        "imprimoctl: {} are tried at most, in {} of bus time, by reading commands; {}'s own logic is cut off from "
        "its pins meanwhile\n",
        countText(search.most(), "order"), durationText(search.longest()), scan->name());
  const auto began = std::chrono::steady_clock::now();
  const auto found = search.run([](std::size_t) {}, context.stop);
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  const auto name = [&](std::size_t port) { return scan->ports().ports[port].name; };
  Json json{{"found", found.has_value()}};
  if (found) {
    const pins::SpiWires& wires = found->wires;
    json["route"] = {{"via", "pins"},          {"device", scan->name()},   {"cs", name(wires.cs)},
                     {"clk", name(wires.clk)}, {"mosi", name(wires.mosi)}, {"miso", name(wires.miso)}};
    json["id"] = fmt::format("0x{:06x}", found->id);
  }
  json["tried"] = search.tried();
  json["seconds"] = seconds;
  if (options.json) {
    print(context, json);
  } else if (found) {
    context.out << "\"route\": " << json["route"].dump() << "\n";
    context.err << fmt::format("imprimoctl: a flash answers {} there; {} in {}\n", json["id"].get<std::string>(),
                               countText(search.tried(), "order"), durationText(seconds));
  } else {
    context.err << fmt::format(
        "imprimoctl: no flash answers on these ports; {} in {}. Its hold may be low unless it is "
        "driven, or one of the wires is not among them.\n",
        countText(search.tried(), "order"), durationText(seconds));
  }
  return found ? 0 : 1;
}

}  // namespace

CommandRow findCommand() {
  return commandRow<FindOptions>("find", "which pins of a device lead to a flash, by reading commands only", addOptions,
                                 runFind);
}

}  // namespace imprimo::ctl
