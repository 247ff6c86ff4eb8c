// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/configure/bridge_card.h"

#include "core/base/input_file.h"
#include "core/base/json_text.h"

namespace imprimo::configure {

BridgeCard parseBridgeCard(std::string_view text, const std::filesystem::path& path) {
  const JsonText json = JsonText::parse(text, path.string());
  const JsonNode root(json);
  root.onlyKnown({"imprimo_bridge", "name", "idcode", "mask", "instruction", "image"});
  if (root["imprimo_bridge"].number() != 1) root["imprimo_bridge"].fail("this program reads bridge cards of version 1");
  BridgeCard card;
  card.path = path;
  card.name = root["name"].string();
  const std::uint64_t idcode = root["idcode"].number();
  const std::uint64_t mask = root.has("mask") ? root["mask"].number() : UINT32_MAX;
  if (idcode > UINT32_MAX) root["idcode"].fail("should have 32 bits");
  if (mask > UINT32_MAX) root["mask"].fail("should have 32 bits");
  card.idcode = {static_cast<std::uint32_t>(idcode & mask), static_cast<std::uint32_t>(mask)};
  if (card.idcode.saysNothing()) root["mask"].fail("fits every device");
  card.instruction = root["instruction"].string();
  card.image = root["image"].string();
  if (card.image.empty()) root["image"].fail("names no file");
  return card;
}

BridgeCard readBridgeCard(const std::filesystem::path& path) {
  return parseBridgeCard(readTextFile(path, kCardFile), path);
}

}  // namespace imprimo::configure
