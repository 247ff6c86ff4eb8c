// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/bridge_data.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/bench/chain_view.h"
#include "core/configure/vector_procedure.h"
#include "core/svf/reader.h"

namespace imprimo::bench {

std::unique_ptr<configure::Procedure> BridgeData::procedure(const configure::Target& there,
                                                            std::uint32_t clockHz) const {
  if (!vectors.empty()) return configure::vectorProcedure(vectors, clockHz);
  return config->byCard() ? configure::cardProcedure(there, *config->card, config->card->configure, &data, clockHz)
                          : configure::iscProcedure(there, {.action = "program"}, &data, clockHz);
}

BridgeData readBridgeData(const sheet::Sheet& sheet, const sheet::BridgeRoute& route, const ConfigCardFinder& find) {
  BridgeData bridge;
  const sheet::Device& device = sheet.chain[route.position - 1];
  bridge.target = {route.position, device.name, device.description.get()};
  if (configure::isVectorFile(*route.load)) {
    bridge.vectors = sheet.folder() / *route.load;
    const auto reader = readReferred(route.loadFrom, [&] { return svf::Reader::open(bridge.vectors); });
    if (const auto why = svf::misfit(*reader, chainView(sheet))) {
      throw Error(ErrorKind::Refused,
                  "the sheet's chain is not the one that the bridge's vectors were made for: " + *why,
                  "Nothing was sent. Correct \"load\" in the memory's route.");
    }
    return bridge;
  }
  bridge.config = deviceConfig(sheet, route.position, find);
  bridge.target = bridge.config->target;
  if (!bridge.config->canConfigure()) {
    throw Error(ErrorKind::NoBridge,
                fmt::format("nothing says how {} is loaded into {}", *route.load, bridge.config->target.name),
                "Give the part a configuration card (\"configure\" in the sheet's chain).");
  }
  Placement whole{.memory = {}, .file = *route.load, .at = 0};
  whole.referredFrom = route.loadFrom;
  bridge.data = configure::readConfigData(whole, sheet.folder(), bridge.config->highBitFirst());
  if (bridge.config->card) configure::checkData(*bridge.config->card, bridge.data, bridge.config->idcodes);
  return bridge;
}

}  // namespace imprimo::bench
