// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is told of a serial flash that was identified.
#include <fmt/format.h>

#include "core/base/json.h"
#include "core/base/number.h"
#include "core/flash/card_check.h"
#include "core/flash/spi_nor_identity.h"
#include "core/image/checksum.h"

namespace imprimo::flash {
namespace {

using Json = nlohmann::ordered_json;

std::string regionsText(const memory::Geometry& g) {
  std::string text;
  for (std::size_t i = 0; i < g.regions.size(); ++i) {
    const AddressRange region{g.regions[i].begin, i + 1 < g.regions.size() ? g.regions[i + 1].begin : g.size};
    std::string sizes;
    for (std::size_t t = 0; t < g.erase.size(); ++t) {
      if ((g.regions[i].types >> t & 1) != 0) sizes += (sizes.empty() ? "" : ", ") + sizeText(g.erase[t].size);
    }
    text += fmt::format("{}: erased by {}\n", rangeText(region), sizes);
  }
  return text;
}

Json tablesJson(const Sfdp& sfdp) {
  Json list = Json::array();
  for (const SfdpTable& table : sfdp.tables) {
    Json entry = {{"name", tableName(table.id)},
                  {"revision", fmt::format("{}.{}", table.major, table.minor)},
                  {"pointer", hexAddress(table.pointer)},
                  {"dwords", Json::array()},
                  {"fields", Json::array()}};
    for (const std::uint32_t d : table.dwords) entry["dwords"].push_back(fmt::format("0x{:08x}", d));
    for (const SfdpField& f : fieldsOf(table)) {
      entry["fields"].push_back({{"dword", f.dword},
                                 {"high", f.high},
                                 {"low", f.low},
                                 {"value", f.value},
                                 {"name", f.name},
                                 {"meaning", f.meaning}});
    }
    list.push_back(std::move(entry));
  }
  return list;
}

std::string tablesText(const Sfdp& sfdp) {
  std::string text = fmt::format("parameter table (SFDP) revision {}.{}\n", sfdp.major, sfdp.minor);
  for (const SfdpTable& table : sfdp.tables) {
    text += fmt::format("\n{}, revision {}.{}, at {}, {}\n", tableName(table.id), table.major, table.minor,
                        hexAddress(table.pointer), countText(table.dwords.size(), "DWORD"));
    const std::vector<SfdpField> fields = fieldsOf(table);
    for (std::size_t i = 0; i < table.dwords.size(); ++i) {
      text += fmt::format("  {:>2}  {:08X}\n", i + 1, table.dwords[i]);
      for (const SfdpField& f : fields) {
        if (f.dword != i + 1) continue;
        text += fmt::format("      {:>6}  {:<42} {}\n", memory::bitsText(f.high, f.low), f.name, f.meaning);
      }
    }
  }
  return text;
}

}  // namespace

std::string FlashIdentity::card(const std::string& name, bool indent) const {
  return partCardText(cardOf(name, *this), indent);
}

Json FlashIdentity::json(const memory::Identity& identity, bool tables) const {
  Json json = {{"id", identity.id},
               {"bank", identity.bank},
               {"size", geometry.size},
               {"page", geometry.page},
               {"erase", Json::array()}};
  for (std::size_t i = 0; i < geometry.erase.size(); ++i) {
    json["erase"].push_back(
        {{"size", geometry.erase[i].size}, {"opcode", fmt::format("0x{:02x}", commands.erase[i].opcode)}});
  }
  json["source"] = identity.source;
  if (!identity.uniqueId.empty()) json["unique_id"] = digitsOf(identity.uniqueId);
  if (!identity.remarks.empty()) json["remarks"] = identity.remarks;
  if (tables && table) json["tables"] = tablesJson(*table);
  return json;
}

std::string FlashIdentity::text(const std::string& name, const memory::Identity& identity, bool tables) const {
  std::string text = fmt::format("{}: ID {} (bank {}), the same in {} of {} reads\n", name, identity.id, identity.bank,
                                 idReadsEqual, idReads);
  text += fmt::format("{}, pages of {}, described by its {}{}\n", sizeText(geometry.size), sizeText(geometry.page),
                      source == "sfdp" ? "parameter table (SFDP)" : "part card",
                      geometry.timesAssumed ? "; its times are assumed" : "");
  for (std::size_t i = 0; i < geometry.erase.size(); ++i) {
    const memory::EraseType& type = geometry.erase[i];
    text += fmt::format("erases {:>8} by 0x{:02x}, {} typically, {} at most\n", sizeText(type.size),
                        commands.erase[i].opcode, durationText(type.typical), durationText(type.longest));
  }
  text += regionsText(geometry);
  if (!identity.uniqueId.empty()) text += "unique ID " + digitsOf(identity.uniqueId) + "\n";
  for (const std::string& remark : identity.remarks) text += "note: " + remark + "\n";
  if (tables && table) text += tablesText(*table);
  return text;
}

memory::Identity identityOf(FlashIdentity flash) {
  memory::Identity identity;
  identity.id = flash.id.text();
  identity.bank = flash.id.bank;
  identity.geometry = flash.geometry;
  identity.uniqueId = flash.uniqueId;
  identity.source = flash.source;
  identity.describedBy = flash.source == "sfdp" ? "its parameter table" : "its part card";
  identity.evidence = {{"flash ID", fmt::format("{}  ·  {} reads", identity.id, flash.idReadsEqual),
                        flash.idReadsEqual == flash.idReads},
                       {"parameter table", flash.sfdp ? "signature right" : "none, by its card"}};
  identity.registers = described(flash.registers);
  identity.protection = flash.protection;
  identity.remarks = flash.remarks;
  identity.details = std::make_shared<FlashIdentity>(std::move(flash));
  return identity;
}

const FlashIdentity* flashOf(const memory::Identity& identity) {
  return dynamic_cast<const FlashIdentity*>(identity.details.get());
}

}  // namespace imprimo::flash
