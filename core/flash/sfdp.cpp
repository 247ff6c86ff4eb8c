// SPDX-License-Identifier: GPL-3.0-or-later
//
// JESD216F: SFDP header (6.2), parameter headers (6.3).
#include "core/flash/sfdp.h"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/flash/sfdp_basic.h"

namespace imprimo::flash {
namespace {

constexpr std::size_t kHeaderBytes = 8;
constexpr std::uint16_t kBasicTable = 0xFF00, kSectorMap = 0xFF81, kFourByteTable = 0xFF84;
constexpr std::size_t kFirstEditionDwords = 9;
constexpr std::uint32_t kSpaceEnd = 1u << 24;  // pointers have 24 bits
constexpr const char* kRemedy = "Describe the part with a part card, \"part\" in the sheet.";

SfdpTable parameterHeader(const std::uint8_t* p) {
  SfdpTable table;
  table.id = static_cast<std::uint16_t>(p[7] << 8 | p[0]);
  table.minor = p[1];
  table.major = p[2];
  table.pointer = loadLe32(p + 4) & 0xFFFFFF;
  table.dwords.resize(p[3]);
  return table;
}

void readTable(SfdpTable& table, std::size_t headersEnd, const SfdpAccess& access) {
  const std::size_t bytes = table.dwords.size() * 4;
  if (table.pointer < headersEnd || table.pointer + bytes > kSpaceEnd) {
    throw Error(
        ErrorKind::UnknownFlash,
        fmt::format("the parameter header (SFDP) of table 0x{:04X} points to {}, which is {}", table.id,
                    hexAddress(table.pointer), table.pointer < headersEnd ? "among the headers" : "outside its space"),
        kRemedy);
  }
  const Bytes raw = access.read(table.pointer, bytes);
  for (std::size_t i = 0; i < table.dwords.size() && 4 * i + 3 < raw.size(); ++i)
    table.dwords[i] = loadLe32(raw.data() + 4 * i);
}

/// The newest of several tables with the same name.
const SfdpTable* newest(const std::vector<SfdpTable>& tables, std::uint16_t id) {
  const SfdpTable* best = nullptr;
  for (const SfdpTable& table : tables) {
    if (table.id != id || table.dwords.empty()) continue;
    if (best == nullptr || std::pair(table.major, table.minor) > std::pair(best->major, best->minor)) best = &table;
  }
  return best;
}

}  // namespace

std::optional<Sfdp> readSfdp(const SfdpAccess& access) {
  const Bytes header = access.read(0, kHeaderBytes);
  constexpr std::string_view kSignature = "SFDP";
  if (header.size() < kHeaderBytes || !std::equal(kSignature.begin(), kSignature.end(), header.begin()))
    return std::nullopt;
  Sfdp sfdp;
  sfdp.minor = header[4];
  sfdp.major = header[5];
  const std::size_t count = header[6] + 1u;
  const Bytes headers = access.read(kHeaderBytes, count * kHeaderBytes);
  if (headers.size() < count * kHeaderBytes) return std::nullopt;

  for (std::size_t i = 0; i < count; ++i) {
    SfdpTable table = parameterHeader(headers.data() + i * kHeaderBytes);
    // The first one is the basic table even where an early part wrote its maker's number into the identifier.
    if (i == 0) table.id = kBasicTable;
    const bool known = table.id == kBasicTable || table.id == kSectorMap || table.id == kFourByteTable;
    if (i == 0 && table.dwords.size() < kFirstEditionDwords) {
      throw Error(ErrorKind::UnknownFlash, "the parameter table (SFDP) is too short to describe the part", kRemedy);
    }
    try {
      readTable(table, kHeaderBytes * (count + 1), access);
    } catch (const Error& e) {
      if (known || e.kind() != ErrorKind::UnknownFlash) throw;
      continue;  // a maker's own table that nobody can read does no harm
    }
    sfdp.tables.push_back(std::move(table));
  }
  const SfdpTable* basic = newest(sfdp.tables, kBasicTable);
  BasicGeometry described = basicGeometry(*basic, newest(sfdp.tables, kFourByteTable));
  if (const SfdpTable* map = newest(sfdp.tables, kSectorMap)) readSectorMap(*map, access, described);
  checkDescription(described.geometry, described.commands, "the parameter table (SFDP)");
  sfdp.geometry = std::move(described.geometry);
  sfdp.commands = std::move(described.commands);
  sfdp.facts = described.facts;
  return sfdp;
}

}  // namespace imprimo::flash
