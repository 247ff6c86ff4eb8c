// SPDX-License-Identifier: GPL-3.0-or-later
//
// docs/formats/part-card.md, the other way round.
#include <fmt/format.h>

#include "core/base/json.h"
#include "core/base/number.h"
#include "core/flash/part_card.h"
#include "core/flash/part_card_lines.h"

namespace imprimo::flash {
namespace {

using Json = nlohmann::ordered_json;

std::string opcodeText(std::uint8_t opcode) {
  return fmt::format("0x{:02x}", opcode);
}

const char* nameOf(FourByteEntry entry) {
  switch (entry) {
    case FourByteEntry::Always:
      return "always";
    case FourByteEntry::Command:
      return "command";
    case FourByteEntry::WriteEnableThenCommand:
      return "write-enable-command";
    case FourByteEntry::OwnCommands:
      return "own-commands";
    case FourByteEntry::SegmentRegister:
      return "segment-register";
    case FourByteEntry::BankRegister:
      return "bank-register";
    case FourByteEntry::NotNeeded:
    case FourByteEntry::Unknown:
      break;
  }
  return nullptr;
}

Json eraseJson(const memory::Geometry& g, const NorCommands& commands) {
  Json list = Json::array();
  for (std::size_t i = 0; i < g.erase.size(); ++i) {
    const memory::EraseType& type = g.erase[i];
    const EraseCommand& erase = commands.erase[i];
    Json entry = {{"size", type.size},
                  {"opcode", opcodeText(erase.opcode)},
                  {"typical", type.typical},
                  {"longest", type.longest}};
    if (erase.opcode4 != 0) entry["opcode4"] = opcodeText(erase.opcode4);
    list.push_back(std::move(entry));
  }
  return list;
}

Json regionsJson(const memory::Geometry& g) {
  Json list = Json::array();
  for (const memory::EraseRegion& region : g.regions) {
    Json sizes = Json::array();
    for (std::size_t i = 0; i < g.erase.size(); ++i) {
      if ((region.types >> i & 1) != 0) sizes.push_back(g.erase[i].size);
    }
    list.push_back({{"from", hexAddress(region.begin)}, {"erase", std::move(sizes)}});
  }
  return list;
}

Json registerJson(const FlashRegister& r) {
  Json json = {{"name", r.name}, {"read", opcodeText(r.read)}};
  if (r.write) json["write"] = opcodeText(*r.write);
  if (r.enable != 0x06) json["enable"] = opcodeText(r.enable);
  if (!r.together.empty()) json["together"] = r.together;
  Json bits = Json::array();
  for (const memory::RegisterBits& b : r.bits) {
    Json entry = {{"bits", memory::bitsText(b.high, b.low)}, {"name", b.name}};
    if (!b.what.empty()) entry["what"] = b.what;
    if (b.readOnly) entry["read_only"] = true;
    if (b.once) entry["once"] = true;
    bits.push_back(std::move(entry));
  }
  json["bits"] = std::move(bits);
  return json;
}

Json protectionJson(const memory::Protection& p) {
  Json json = {{"register", p.inRegister}, {"bits", memory::bitsText(p.high, p.low)}, {"levels", Json::array()}};
  for (const memory::Protection::Level& level : p.levels) {
    Json ranges = Json::array();
    for (const AddressRange& r : level.ranges)
      ranges.push_back(fmt::format("{}+0x{:X}", hexAddress(r.begin), r.size()));
    json["levels"].push_back({{"value", level.value}, {"ranges", std::move(ranges)}});
  }
  return json;
}

}  // namespace

std::string partCardText(const PartCard& card, bool indent) {
  const memory::Geometry& g = card.geometry;
  const NorCommands& c = card.commands;
  Json json = {{"imprimo_part", 1},
               {"name", card.name},
               {"id", card.id.text()},
               {"bank", card.id.bank},
               {"size", hexAddress(g.size)},
               {"page", g.page},
               {"program", {{"typical", g.pageTypical}, {"longest", g.pageLongest}}},
               {"erase", eraseJson(g, card.commands)}};
  if (!g.regions.empty()) json["regions"] = regionsJson(g);
  if (const char* way = nameOf(c.fourByte)) json["four_byte"] = way;
  if (!(c.ready == ReadyCheck{})) {
    json["ready"] = {{"command", opcodeText(c.ready.command)},
                     {"mask", opcodeText(c.ready.mask)},
                     {"value", opcodeText(c.ready.value)}};
  }
  addWideCommands(json, c);
  if (g.timesAssumed) json["times_assumed"] = true;
  for (const FlashRegister& r : card.registers) json["registers"].push_back(registerJson(r));
  if (card.protection) json["protection"] = protectionJson(*card.protection);
  if (card.uniqueId) {
    json["unique_id"] = {{"command", opcodeText(card.uniqueId->command)},
                         {"dummy", card.uniqueId->dummyBytes},
                         {"bytes", card.uniqueId->bytes}};
  }
  if (card.deepPowerDown) {
    json["deep_power_down"] = {{"enter", opcodeText(card.deepPowerDown->enter)},
                               {"leave", opcodeText(card.deepPowerDown->leave)},
                               {"wake", card.deepPowerDown->wake}};
  }
  if (card.tableIsWrong) json["table_is_wrong"] = true;
  return json.dump(indent ? 2 : -1, ' ', false, Json::error_handler_t::replace) + (indent ? "\n" : "");
}

}  // namespace imprimo::flash
