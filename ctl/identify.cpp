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
#include "ctl/commands.h"
#include "ctl/json_out.h"
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

}  // namespace

int identify(const Options& options, const Context& context) {
  sheet::Sheet sheet = openSheet(options, context);
  const std::string name = oneMemory(options, sheet);
  requireNoInput(options.card, options, &sheet);
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

namespace {

struct Assignment {
  std::string name;
  std::optional<flash::RegisterBits> bits;
  std::uint8_t value = 0;
};

/// "status 1=0x1C", "status 1[4..2]=7" or "status 1[block protection]=7".
Assignment assignment(const std::vector<flash::FlashRegister>& registers, const std::string& text) {
  const auto fail = [&]() -> Error {
    return {ErrorKind::Usage, fmt::format("--set takes REGISTER=VALUE or REGISTER[BITS]=VALUE, not '{}'", text),
            "For example --set \"status 1=0x1C\" or --set \"status 1[4..2]=7\"."};
  };
  const std::size_t equals = text.rfind('=');
  if (equals == std::string::npos) throw fail();
  Assignment a;
  a.name = text.substr(0, equals);
  const auto value = parseNumber(text.substr(equals + 1));
  if (!value || *value > 0xFF) throw fail();
  a.value = static_cast<std::uint8_t>(*value);
  const std::size_t bracket = a.name.find('[');
  if (bracket == std::string::npos) return a;
  if (a.name.back() != ']') throw fail();
  const std::string bits = a.name.substr(bracket + 1, a.name.size() - bracket - 2);
  a.name.resize(bracket);
  for (const flash::RegisterBits& b : registers[flash::registerNamed(registers, a.name)].bits) {
    if (b.name == bits) a.bits = b;
  }
  const auto typed = flash::parseBits(bits);
  if (!a.bits && typed) a.bits = {typed->first, typed->second, {}, {}, false, false};
  if (!a.bits || a.value > a.bits->of(0xFF)) throw fail();
  return a;
}

Json registersJson(const std::vector<flash::FlashRegister>& registers, const std::vector<std::uint8_t>& values) {
  Json list = Json::array();
  for (std::size_t i = 0; i < registers.size(); ++i) {
    Json entry = {{"name", registers[i].name}, {"value", hexByte(values[i])}, {"bits", Json::array()}};
    for (const flash::RegisterBits& b : registers[i].bits)
      entry["bits"].push_back({{"name", b.name}, {"high", b.high}, {"low", b.low}, {"value", b.of(values[i])}});
    list.push_back(std::move(entry));
  }
  return list;
}

void tellRegisters(const Context& context, const std::vector<flash::FlashRegister>& registers,
                   const std::vector<std::uint8_t>& values) {
  for (std::size_t i = 0; i < registers.size(); ++i) {
    const flash::FlashRegister& r = registers[i];
    context.out << fmt::format("{}: {} ({}), read by 0x{:02x}{}\n", r.name, hexByte(values[i]),
                               std::bitset<8>(values[i]).to_string(), r.read,
                               r.write ? fmt::format(", written by 0x{:02x}", *r.write) : ", read only");
    for (const flash::RegisterBits& b : r.bits) {
      const std::string bits = flash::bitsText(b.high, b.low);
      context.out << fmt::format("  {:>4}  {:<20} {:>3}  {}{}{}\n", bits, b.name, b.of(values[i]), b.what,
                                 b.readOnly ? (b.what.empty() ? "read only" : "; read only") : "",
                                 b.once ? "; once set it stays set for ever" : "");
    }
  }
}

}  // namespace

int registers(const Options& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options, context);
  const std::string name = oneMemory(options, sheet);
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, bench->chain().port(), sheet.waitSeconds, [&] { bench->examine(); });
  bench->checkChain();
  const std::vector<flash::FlashRegister> registers = bench->at(name).identify().registers;
  std::vector<std::uint8_t> values = bench->at(name).readRegisters();
  for (const std::string& text : options.sets) {
    const Assignment a = assignment(registers, text);
    const std::size_t index = flash::registerNamed(registers, a.name);
    const std::uint8_t now = values[index];
    const auto wanted = a.bits ? static_cast<std::uint8_t>((now & ~a.bits->mask()) | a.value << a.bits->low) : a.value;
    const std::uint8_t forEver = wanted & ~now & registers[index].once();
    if (forEver != 0 && !options.all) {
      throw Error(ErrorKind::Refused,
                  fmt::format("{} = {} sets bits that stay set for ever ({})", a.name, hexByte(wanted),
                              std::bitset<8>(forEver).to_string()),
                  "Nothing was written. If that is meant, add --for-ever.");
    }
    bench->at(name).writeRegister(index, wanted);
    values = bench->at(name).readRegisters();
    context.err << fmt::format("{} was {} and is {}; to undo: --set \"{}={}\"\n", a.name, hexByte(now),
                               hexByte(values[index]), a.name, hexByte(now));
  }
  if (options.json) {
    print(context, {{"registers", registersJson(registers, values)}});
  } else {
    tellRegisters(context, registers, values);
  }
  return 0;
}

}  // namespace imprimo::ctl
