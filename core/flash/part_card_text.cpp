// SPDX-License-Identifier: GPL-3.0-or-later
//
// docs/formats/part-card.md, the other way round.
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "core/base/number.h"
#include "core/flash/part_card.h"

namespace imprimo::flash {
namespace {

using Json = nlohmann::ordered_json;

std::string opcodeText(std::uint8_t opcode) {
  return fmt::format("0x{:02x}", opcode);
}

const char* nameOf(memory::FourByteEntry entry) {
  switch (entry) {
    case memory::FourByteEntry::Always:
      return "always";
    case memory::FourByteEntry::Command:
      return "command";
    case memory::FourByteEntry::WriteEnableThenCommand:
      return "write-enable-command";
    case memory::FourByteEntry::OwnCommands:
      return "own-commands";
    case memory::FourByteEntry::SegmentRegister:
      return "segment-register";
    case memory::FourByteEntry::BankRegister:
      return "bank-register";
    case memory::FourByteEntry::NotNeeded:
    case memory::FourByteEntry::Unknown:
      break;
  }
  return nullptr;
}

Json eraseJson(const memory::Geometry& g) {
  Json list = Json::array();
  for (const memory::EraseType& type : g.erase) {
    Json entry = {
        {"size", type.size}, {"opcode", opcodeText(type.opcode)}, {"typical", type.typical}, {"longest", type.longest}};
    if (type.opcode4 != 0) entry["opcode4"] = opcodeText(type.opcode4);
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
  for (const RegisterBits& b : r.bits) {
    Json entry = {{"bits", bitsText(b.high, b.low)}, {"name", b.name}};
    if (!b.what.empty()) entry["what"] = b.what;
    if (b.readOnly) entry["read_only"] = true;
    if (b.once) entry["once"] = true;
    bits.push_back(std::move(entry));
  }
  json["bits"] = std::move(bits);
  return json;
}

Json protectionJson(const Protection& p) {
  Json json = {{"register", p.inRegister}, {"bits", bitsText(p.high, p.low)}, {"levels", Json::array()}};
  for (const Protection::Level& level : p.levels) {
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
  Json json = {{"imprimo_part", 1},
               {"name", card.name},
               {"id", card.id.text()},
               {"bank", card.id.bank},
               {"size", hexAddress(g.size)},
               {"page", g.page},
               {"program", {{"typical", g.pageTypical}, {"longest", g.pageLongest}}},
               {"erase", eraseJson(g)}};
  if (!g.regions.empty()) json["regions"] = regionsJson(g);
  if (const char* way = nameOf(g.fourByte)) json["four_byte"] = way;
  if (!(g.ready == memory::ReadyCheck{})) {
    json["ready"] = {{"command", opcodeText(g.ready.command)},
                     {"mask", opcodeText(g.ready.mask)},
                     {"value", opcodeText(g.ready.value)}};
  }
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
