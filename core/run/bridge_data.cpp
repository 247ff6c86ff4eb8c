// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/bridge_data.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::run {

std::unique_ptr<configure::Procedure> BridgeData::procedure(const configure::Target& target,
                                                            std::uint32_t clockHz) const {
  return config->byCard() ? configure::cardProcedure(target, *config->card, config->card->configure, &data, clockHz)
                          : configure::iscProcedure(target, {.action = "program"}, &data, clockHz);
}

BridgeData readBridgeData(const sheet::Sheet& sheet, const sheet::BridgeRoute& route, const ConfigCardFinder& find) {
  BridgeData bridge;
  bridge.config = partConfig(sheet, route.position, find);
  if (!bridge.config->canConfigure()) {
    throw Error(ErrorKind::NoBridge,
                fmt::format("nothing says how {} is loaded into {}", *route.load, bridge.config->target.name),
                "Give the part a configuration card (\"configure\" in the sheet's chain).");
  }
  bridge.data = configure::readConfigData({.memory = {}, .file = *route.load, .at = 0}, sheet.folder(),
                                          bridge.config->highBitFirst());
  if (bridge.config->card) configure::checkData(*bridge.config->card, bridge.data, bridge.config->idcodes);
  return bridge;
}

}  // namespace imprimo::run
