// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/found_modes.h"

#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/base/number.h"

namespace imprimo::flash {
namespace {

std::uint8_t modeByte(const JsonNode& node) {
  const std::uint64_t value = node.number();
  if (value > 0xFF) node.fail("should be a byte");
  return static_cast<std::uint8_t>(value);
}

}  // namespace

std::string modesText(const FoundModes& modes) {
  nlohmann::ordered_json json = {{"four_bytes", modes.address == AddressMode::FourBytes},
                                 {"write_enabled", modes.writeEnabled}};
  if (modes.upper) json["upper"] = hexByte(*modes.upper);
  if (modes.lines) json["lines"] = {{"register", modes.lines->first}, {"value", hexByte(modes.lines->second)}};
  if (modes.asleep) {
    json["asleep"] = {
        {"enter", hexByte(modes.asleep->enter)}, {"leave", hexByte(modes.asleep->leave)}, {"wake", modes.asleep->wake}};
  }
  return json.dump();
}

FoundModes parseModes(const std::string& text) {
  const JsonText json = JsonText::parse(text, "the modes of an unfinished run");
  const JsonNode node = JsonNode(json).object();
  FoundModes modes;
  modes.address = node["four_bytes"].boolean() ? AddressMode::FourBytes : AddressMode::ThreeBytes;
  modes.writeEnabled = node["write_enabled"].boolean();
  if (node.has("upper")) modes.upper = modeByte(node["upper"]);
  if (node.has("lines")) modes.lines = {node["lines"]["register"].string(), modeByte(node["lines"]["value"])};
  if (node.has("asleep")) {
    const JsonNode asleep = node["asleep"].object();
    const double wake = asleep["wake"].real();
    if (!(wake >= 0) || wake > 1) asleep["wake"].fail("should be a time in seconds, at most 1");
    modes.asleep = FlashFacts::DeepPowerDown{modeByte(asleep["enter"]), modeByte(asleep["leave"]), wake};
  }
  return modes;
}

}  // namespace imprimo::flash
