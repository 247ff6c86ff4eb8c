// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/route_load.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/bench/chain_view.h"
#include "core/configure/vector_procedure.h"
#include "core/svf/reader.h"

namespace imprimo::bench {

std::unique_ptr<configure::Procedure> RouteLoad::procedure(const configure::Target& there,
                                                           std::uint32_t clockHz) const {
  if (!vectors.empty()) return configure::vectorProcedure(vectors, clockHz);
  return config->byCard() ? configure::cardProcedure(there, *config->card, config->card->configure, &data, clockHz)
                          : configure::iscProcedure(there, {.action = "program"}, &data, clockHz);
}

RouteLoad readRouteLoad(const sheet::Sheet& sheet, const sheet::Route& route, const ConfigCardFinder& find) {
  RouteLoad load;
  const sheet::Device& device = sheet.chain[route.position - 1];
  load.target = {route.position, device.name, device.description.get()};
  if (configure::isVectorFile(*route.load)) {
    load.vectors = sheet.folder() / *route.load;
    const auto reader = readReferred(route.loadFrom, [&] { return svf::Reader::open(load.vectors); });
    if (const auto why = svf::misfit(*reader, chainView(sheet))) {
      throw Error(ErrorKind::Refused,
                  "the sheet's chain is not the one that the bridge's vectors were made for: " + *why,
                  "Nothing was sent. Correct \"load\" in the memory's route.");
    }
    return load;
  }
  load.config = deviceConfig(sheet, route.position, find);
  load.target = load.config->target;
  if (!load.config->canConfigure()) {
    throw Error(ErrorKind::NoBridge,
                fmt::format("nothing says how {} is loaded into {}", *route.load, load.config->target.name),
                "Give the part a configuration card (\"configure\" in the sheet's chain).");
  }
  Placement whole{.memory = {}, .file = *route.load, .at = 0};
  whole.referredFrom = route.loadFrom;
  load.data = configure::readConfigData(whole, sheet.folder(), load.config->highBitFirst());
  if (load.config->card) configure::checkData(*load.config->card, load.data, load.config->idcodes);
  return load;
}

}  // namespace imprimo::bench
