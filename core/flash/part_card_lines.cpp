// SPDX-License-Identifier: GPL-3.0-or-later
//
// docs/formats/part-card.md, Several lines
#include "core/flash/part_card_lines.h"

#include <fmt/format.h>

#include <algorithm>

namespace imprimo::flash {
namespace {

using Json = nlohmann::ordered_json;

std::uint64_t upTo(const JsonNode& node, std::uint64_t most) {
  const std::uint64_t value = node.number();
  if (value > most) node.fail(fmt::format("should be 0 to {}", most));
  return value;
}

/// "1-4-4": lines of the command, the address and the data.
void lines(const JsonNode& node, WideCommand& command) {
  const std::string text = node.string();
  for (const char* known : {"1-1-2", "1-2-2", "1-1-4", "1-4-4"}) {
    if (text != known) continue;
    command.addressLines = static_cast<unsigned>(text[2] - '0');
    command.dataLines = static_cast<unsigned>(text[4] - '0');
    return;
  }
  node.fail("should be \"1-1-2\", \"1-2-2\", \"1-1-4\" or \"1-4-4\"");
}

WideCommand wideCommand(const JsonNode& node, bool reads) {
  constexpr std::uint64_t kByte = 0xFF, kMostModeClocks = 8, kMostDummyClocks = 31;
  WideCommand command;
  lines(node["lines"], command);
  command.opcode = static_cast<std::uint8_t>(upTo(node["opcode"], kByte));
  if (node.has("four_byte")) command.fourByte = node["four_byte"].boolean();
  if (!reads) return command;
  if (node.has("mode_clocks")) command.modeClocks = static_cast<unsigned>(upTo(node["mode_clocks"], kMostModeClocks));
  if (node.has("dummy_clocks"))
    command.dummyClocks = static_cast<unsigned>(upTo(node["dummy_clocks"], kMostDummyClocks));
  return command;
}

Json commandJson(const WideCommand& command, bool reads) {
  Json json = {{"lines", fmt::format("1-{}-{}", command.addressLines, command.dataLines)},
               {"opcode", fmt::format("0x{:02x}", command.opcode)}};
  if (reads) json["mode_clocks"] = command.modeClocks;
  if (reads) json["dummy_clocks"] = command.dummyClocks;
  if (command.fourByte) json["four_byte"] = true;
  return json;
}

QuadEnable quadEnable(const JsonNode& node, const std::vector<FlashRegister>& registers) {
  if (!node.object().has("register")) return {};  // no bit is needed
  constexpr std::uint64_t kLastBit = 7;
  const std::string name = node["register"].string();
  const auto found =
      std::find_if(registers.begin(), registers.end(), [&](const FlashRegister& r) { return r.name == name; });
  constexpr std::uint64_t kByte = 0xFF;
  if (found == registers.end() && !node.has("read"))
    node["register"].fail("\"registers\" has no register of this name, and \"read\" does not say how it is read");
  const std::uint8_t read = node.has("read") ? static_cast<std::uint8_t>(upTo(node["read"], kByte)) : found->read;
  QuadEnable quad{name, read, static_cast<std::uint8_t>(1u << upTo(node["bit"], kLastBit))};
  if (node.has("volatile")) quad.volatileEnable = static_cast<std::uint8_t>(upTo(node["volatile"], kByte));
  return quad;
}

}  // namespace

void readWideCommands(const JsonNode& root, PartCard& card) {
  NorCommands& commands = card.commands;
  if (root.has("wide_reads")) {
    for (const JsonNode& node : root["wide_reads"].elements()) commands.wideReads.push_back(wideCommand(node, true));
  }
  if (root.has("wide_programs")) {
    for (const JsonNode& node : root["wide_programs"].elements())
      commands.widePrograms.push_back(wideCommand(node, false));
  }
  if (root.has("quad_enable")) commands.quad = quadEnable(root["quad_enable"], card.registers);
}

void addWideCommands(Json& json, const NorCommands& commands) {
  for (const WideCommand& command : commands.wideReads) json["wide_reads"].push_back(commandJson(command, true));
  for (const WideCommand& command : commands.widePrograms) json["wide_programs"].push_back(commandJson(command, false));
  if (!commands.quad) return;
  if (commands.quad->mask == 0) {
    json["quad_enable"] = Json::object();
    return;
  }
  unsigned bit = 0;
  while ((commands.quad->mask >> bit & 1) == 0) ++bit;
  json["quad_enable"] = {
      {"register", commands.quad->inRegister}, {"bit", bit}, {"read", fmt::format("0x{:02x}", commands.quad->read)}};
  if (commands.quad->volatileEnable != 0)
    json["quad_enable"]["volatile"] = fmt::format("0x{:02x}", commands.quad->volatileEnable);
}

}  // namespace imprimo::flash
