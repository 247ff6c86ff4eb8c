// SPDX-License-Identifier: GPL-3.0-or-later
//
// Who a memory is, and what its registers hold.
#include <fmt/format.h>

#include <bitset>
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/flash/card_check.h"
#include "core/image/checksum.h"
#include "ctl/command.h"
#include "ctl/option_help.h"
#include "ctl/output_file.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

void tellRegions(const Context& context, const memory::Geometry& g) {
  for (std::size_t i = 0; i < g.regions.size(); ++i) {
    const AddressRange region{g.regions[i].begin, i + 1 < g.regions.size() ? g.regions[i + 1].begin : g.size};
    std::string sizes;
    for (std::size_t t = 0; t < g.erase.size(); ++t) {
      if ((g.regions[i].types >> t & 1) != 0) sizes += (sizes.empty() ? "" : ", ") + sizeText(g.erase[t].size);
    }
    context.out << fmt::format("{}: erased by {}\n", rangeText(region), sizes);
  }
}

Json tablesJson(const flash::Sfdp& sfdp) {
  Json list = Json::array();
  for (const flash::SfdpTable& table : sfdp.tables) {
    Json entry = {{"name", flash::tableName(table.id)},
                  {"revision", fmt::format("{}.{}", table.major, table.minor)},
                  {"pointer", hexAddress(table.pointer)},
                  {"dwords", Json::array()},
                  {"fields", Json::array()}};
    for (const std::uint32_t d : table.dwords) entry["dwords"].push_back(fmt::format("0x{:08x}", d));
    for (const flash::SfdpField& f : flash::fieldsOf(table)) {
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

void tellTables(const Context& context, const flash::Sfdp& sfdp) {
  context.out << fmt::format("parameter table (SFDP) revision {}.{}\n", sfdp.major, sfdp.minor);
  for (const flash::SfdpTable& table : sfdp.tables) {
    context.out << fmt::format("\n{}, revision {}.{}, at {}, {}\n", flash::tableName(table.id), table.major,
                               table.minor, hexAddress(table.pointer), countText(table.dwords.size(), "DWORD"));
    const std::vector<flash::SfdpField> fields = flash::fieldsOf(table);
    for (std::size_t i = 0; i < table.dwords.size(); ++i) {
      context.out << fmt::format("  {:>2}  {:08X}\n", i + 1, table.dwords[i]);
      for (const flash::SfdpField& f : fields) {
        if (f.dword != i + 1) continue;
        const std::string bits = flash::bitsText(f.high, f.low);
        context.out << fmt::format("      {:>6}  {:<42} {}\n", bits, f.name, f.meaning);
      }
    }
  }
}

struct IdentifyOptions : SheetOptions {
  bool save = false, tables = false;
  std::string card;
};

void addOptions(CLI::App& own, IdentifyOptions& options) {
  addSheetAndMemory(own, options);
  own.add_flag("--save", options.save, "keep what was found in the sheet");
  own.add_flag("--tables", options.tables, "its parameter tables (SFDP) too, raw and in words");
  own.add_option("--card", options.card, "begin a part card with what was found")->type_name("FILE");
}

int runIdentify(const IdentifyOptions& options, const Context& context) {
  sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneMemory(options, sheet);
  requireNoInput(options.card, options, {}, &sheet);
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, bench->chain().port(), sheet.waitSeconds, [&] { bench->examine(); });
  bench->checkChain();
  const flash::FlashIdentity& identity = bench->at(name).identify();
  const flash::PartCard found = flash::cardOf(name, identity);
  if (!options.card.empty()) writeFileAtomically(options.card, flash::partCardText(found, true));
  const memory::Geometry& g = identity.geometry;
  if (options.save) {
    for (sheet::MemoryEntry& entry : sheet.memories) {
      if (entry.name == name) entry.lastSeen = flash::partCardText(found);
    }
    sheet::saveSheet(sheet);
  }
  if (options.json) {
    Json json = {{"id", identity.id.text()},
                 {"bank", identity.id.bank},
                 {"size", g.size},
                 {"page", g.page},
                 {"erase", Json::array()}};
    for (const memory::EraseType& type : g.erase) {
      json["erase"].push_back({{"size", type.size}, {"opcode", fmt::format("0x{:02x}", type.opcode)}});
    }
    json["source"] = identity.source;
    if (!identity.uniqueId.empty()) json["unique_id"] = digitsOf(identity.uniqueId);
    if (!identity.remarks.empty()) json["remarks"] = identity.remarks;
    if (options.tables && identity.table) json["tables"] = tablesJson(*identity.table);
    print(context, json);
    return 0;
  }
  context.out << fmt::format("{}: ID {} (bank {}), the same in {} of {} reads\n", name, identity.id.text(),
                             identity.id.bank, identity.idReadsEqual, identity.idReads);
  context.out << fmt::format("{}, pages of {}, described by its {}{}\n", sizeText(g.size), sizeText(g.page),
                             identity.source == "sfdp" ? "parameter table (SFDP)" : "part card",
                             g.timesAssumed ? "; its times are assumed" : "");
  for (const memory::EraseType& type : g.erase) {
    context.out << fmt::format("erases {:>8} by 0x{:02x}, {} typically, {} at most\n", sizeText(type.size), type.opcode,
                               durationText(type.typical), durationText(type.longest));
  }
  tellRegions(context, g);
  if (!identity.uniqueId.empty()) context.out << "unique ID " << digitsOf(identity.uniqueId) << "\n";
  for (const std::string& remark : identity.remarks) context.out << "note: " << remark << "\n";
  if (options.tables && identity.table) tellTables(context, *identity.table);
  return 0;
}

}  // namespace

CommandRow identifyCommand() {
  return commandRow<IdentifyOptions>("identify", "read a memory's ID and parameter table", addOptions, runIdentify);
}

}  // namespace imprimo::ctl
