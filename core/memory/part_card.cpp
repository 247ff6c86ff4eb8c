// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/part_card.h"

#include <fmt/format.h>

#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/base/text_file.h"

namespace imprimo::memory {
namespace {

std::uint8_t opcodeOf(const JsonNode& node) {
  const std::uint64_t value = node.number();
  if (value > 0xFF) node.fail("a command is one byte");
  return static_cast<std::uint8_t>(value);
}

double secondsOf(const JsonNode& node) {
  const double seconds = node.real();
  if (!(seconds > 0) || seconds > 3600) node.fail("should be a time in seconds, more than 0");
  return seconds;
}

FourByteEntry fourByteOf(const JsonNode& node) {
  const std::string way = node.string();
  if (way == "always") return FourByteEntry::Always;
  if (way == "command") return FourByteEntry::Command;
  if (way == "write-enable-command") return FourByteEntry::WriteEnableThenCommand;
  node.fail("should be \"always\", \"command\" or \"write-enable-command\"");
}

}  // namespace

PartCard parsePartCard(std::string_view text, const std::string& fileName) {
  const JsonText json = JsonText::parse(text, fileName);
  const JsonNode root = JsonNode(json).object();
  if (root["imprimo_part"].number() != 1) root["imprimo_part"].fail("this version reads part cards of version 1");

  PartCard card;
  card.name = root["name"].string();
  const std::uint64_t id = root["id"].number();
  if (id > 0xFFFFFF) root["id"].fail("should be three bytes: maker, then device");
  card.id.maker = static_cast<std::uint8_t>(id >> 16);
  card.id.device = static_cast<std::uint16_t>(id);
  if (root.has("bank")) card.id.bank = static_cast<unsigned>(root["bank"].number());

  Geometry& g = card.geometry;
  g.size = root["size"].number();
  g.page = static_cast<std::uint32_t>(root["page"].number());
  g.pageTypical = secondsOf(root["program"]["typical"]);
  g.pageLongest = secondsOf(root["program"]["longest"]);
  for (const JsonNode& node : root["erase"].elements()) {
    g.erase.push_back(
        {node["size"].number(), opcodeOf(node["opcode"]), secondsOf(node["typical"]), secondsOf(node["longest"])});
  }
  if (g.size > 1u << 24) g.fourByte = root.has("four_byte") ? fourByteOf(root["four_byte"]) : FourByteEntry::Unknown;
  try {
    checkGeometry(g, "the card");
  } catch (const Error& e) {
    root.fail(e.what());
  }
  return card;
}

std::string partCardText(const PartCard& card) {
  using Json = nlohmann::ordered_json;
  const Geometry& g = card.geometry;
  Json json = {{"imprimo_part", 1},
               {"name", card.name},
               {"id", card.id.text()},
               {"bank", card.id.bank},
               {"size", hexAddress(g.size)},
               {"page", g.page},
               {"program", {{"typical", g.pageTypical}, {"longest", g.pageLongest}}}};
  json["erase"] = Json::array();
  for (const EraseType& type : g.erase) {
    json["erase"].push_back({{"size", type.size},
                             {"opcode", fmt::format("0x{:02x}", type.opcode)},
                             {"typical", type.typical},
                             {"longest", type.longest}});
  }
  switch (g.fourByte) {
    case FourByteEntry::Always:
      json["four_byte"] = "always";
      break;
    case FourByteEntry::Command:
      json["four_byte"] = "command";
      break;
    case FourByteEntry::WriteEnableThenCommand:
      json["four_byte"] = "write-enable-command";
      break;
    case FourByteEntry::NotNeeded:
    case FourByteEntry::Unknown:
      break;
  }
  return json.dump();
}

PartCard readPartCard(const std::filesystem::path& path) {
  return parsePartCard(readTextFile(path), path.string());
}

}  // namespace imprimo::memory
