// SPDX-License-Identifier: GPL-3.0-or-later
//
// Written from JESD216F, clauses 6.2 to 6.6: each DWORD is put together from its fields, named by their bits.
#include "sim/sfdp_table.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <initializer_list>
#include <vector>

#include "sim/spi_flash.h"

namespace imprimo::sim {
namespace {

/// A time as "count and units": (count + 1) times the unit.
struct Coded {
  std::uint32_t count;
  std::uint32_t unit;
};

Coded code(double seconds, std::initializer_list<double> units) {
  std::uint32_t index = 0;
  for (const double unit : units) {
    const double count = std::ceil(seconds / unit - 1e-9);
    if (count <= 32) return {static_cast<std::uint32_t>(count < 1 ? 0 : count - 1), index};
    ++index;
  }
  return {31, index - 1};
}

/// The multiplier N with 2 * (N + 1) * typical >= longest, at most 15.
std::uint32_t multiplier(const BusyTime& time) {
  const double n = std::ceil(time.longest / (2 * time.typical) - 1e-9) - 1;
  return static_cast<std::uint32_t>(n < 0 ? 0 : n > 15 ? 15 : n);
}

std::uint32_t eraseTime(const BusyTime& time) {
  const Coded c = code(time.typical, {0.001, 0.016, 0.128, 1.0});
  return c.unit << 5 | c.count;
}

struct Table {
  std::uint8_t idLow;
  std::uint8_t minor;
  std::vector<std::uint32_t> dwords;
};

bool uniformly4K(const FlashModel& m) {
  return m.regions.empty() ||
         std::all_of(m.regions.begin(), m.regions.end(), [](const auto& r) { return (r.erases & 1) != 0; });
}

std::vector<std::uint32_t> basicTable(const FlashModel& m) {
  using FourByte = FlashModel::FourByte;
  const bool large = m.size > 1u << 24;
  std::vector<std::uint32_t> d(24);  // d[1] is the first, as the standard counts
  // 1: 4 KiB erase there (01) or not (11), write granularity 64 bytes or more, 4 KiB opcode, address bytes 3, 3-and-4,
  // 4
  const std::uint32_t bytes = !m.tellsFourByte ? 0 : m.fourByte == FourByte::Always ? 2 : large ? 1 : 0;
  d[1] = 0xFFF00000u | bytes << 17 | 0x20u << 8 | 0xE0u | (m.page >= 64 ? 1u << 2 : 0) | (uniformly4K(m) ? 1u : 3u);
  // 2: density in bits
  d[2] = m.size * 8 <= 0x80000000ull ? static_cast<std::uint32_t>(m.size * 8 - 1)
                                     : 0x80000000u | static_cast<std::uint32_t>(std::bit_width(m.size * 8) - 1);
  // Bits 16, 20, 21, 22: 1-1-2, 1-2-2, 1-4-4 and 1-1-4 reads. 3: 1-4-4 in the lower half, 1-1-4 in the upper one; 4:
  // 1-1-2 and 1-2-2; each as opcode, mode clocks, wait states.
  d[1] &= ~(1u << 16 | 1u << 20 | 1u << 21 | 1u << 22);
  if (m.lines >= 2) {
    d[1] |= 1u << 16 | 1u << 20;
    d[4] = (0xBBu << 8 | 4u << 5 | 0u) << 16 | (0x3Bu << 8 | 0u << 5 | 8u);
  }
  if (m.lines >= 4) {
    d[1] |= 1u << 21 | 1u << 22;
    d[3] = (0x6Bu << 8 | 0u << 5 | 8u) << 16 | (0xEBu << 8 | 2u << 5 | 4u);
  }
  // 5, 6, 7: no 2-2-2 or 4-4-4 reads
  d[5] = 0xFFFFFFEE;
  d[6] = d[7] = 0x0000FFFF;
  // 8, 9: erase types as size exponent and opcode
  d[8] = (m.has32K ? 0x520Fu << 16 : 0) | 0x200Cu;
  d[9] = 0xD810u;
  // 10: times of types 1 to 4 from bit 4 in steps of 7, multiplier in bits 3 to 0
  const std::uint32_t most = std::max({multiplier(m.erase4K), multiplier(m.erase32K), multiplier(m.erase64K)});
  d[10] = eraseTime(m.erase64K) << 18 | (m.has32K ? eraseTime(m.erase32K) : 0) << 11 | eraseTime(m.erase4K) << 4 | most;
  // 11: chip erase 30-24, byte program, page program 13-8, page size 7-4, multiplier 3-0
  const Coded chip = code(m.eraseChip.typical, {0.016, 0.256, 4.0, 64.0});
  const Coded page = code(m.pageProgram.typical, {8e-6, 64e-6});
  d[11] = 1u << 31 | chip.unit << 29 | chip.count << 24 | 1u << 19 | 15u << 14 | page.unit << 13 | page.count << 8 |
          static_cast<std::uint32_t>(std::countr_zero(m.page)) << 4 | multiplier(m.pageProgram);
  // 12: suspend not supported; 14: busy is polled by 05h bit 0; deep power-down in by B9h (30-23), out by ABh (22-15)
  // within 30 us (30 times 1 us)
  d[12] = 1u << 31;
  d[14] = 0xB9u << 23 | 0xABu << 15 | 1u << 13 | 29u << 8 | 1u << 2;
  // 15: quad enable in bit 1 of the second register, 01h with two bytes (101), or no such bit
  d[15] = m.twoRegisters ? 5u << 20 : 0;
  // 16: into 4-byte addresses (31-24), out of them (23-14), reset by 66h 99h (bit 12)
  // Bit 3: 50h comes before a write of the status registers that lasts as long as the supply.
  d[16] = 1u << 12 | (m.lines >= 4 && m.twoRegisters ? 1u << 3 : 0);
  if (!m.tellsFourByte || (!large && m.fourByte != FourByte::Always)) return d;
  switch (m.fourByte) {
    case FourByte::Command:
      d[16] |= 1u << 24 | 1u << 14;
      break;
    case FourByte::EnableThenCommand:
      d[16] |= 2u << 24 | 2u << 14;
      break;
    case FourByte::SegmentRegister:
      d[16] |= 4u << 24 | 4u << 14;
      break;
    case FourByte::BankRegister:
      d[16] |= 8u << 24 | 8u << 14;
      break;
    case FourByte::OwnCommands:
      d[16] |= 0x20u << 24;
      break;
    case FourByte::Always:
      d[16] |= 0x40u << 24;
      break;
  }
  return d;
}

/// Two maps: the part's own where bit 3 of its configuration is set, all of it in 64 KiB blocks where it is not.
std::vector<std::uint32_t> sectorMap(const FlashModel& m) {
  const auto own = [&](std::uint32_t configuration) {
    std::vector<std::uint32_t> map{static_cast<std::uint32_t>(m.regions.size() - 1) << 16 | configuration << 8 |
                                   1u << 1 | 1u};
    for (std::size_t i = 0; i < m.regions.size(); ++i) {
      const std::uint64_t end = i + 1 < m.regions.size() ? m.regions[i + 1].begin : m.size;
      // Erase types in the basic table's order: 1 is 4 KiB, 2 is 32 KiB, 3 is 64 KiB.
      map.push_back(static_cast<std::uint32_t>((end - m.regions[i].begin) / 256 - 1) << 8 | m.regions[i].erases);
    }
    return map;
  };
  // A part with one configuration needs no command to tell which; the number is the maker's.
  if (m.oneMap) return own(3);
  // The command 65h with three address bytes (01) and 8 clocks, bit 3 of the answer; then the last command's end mark.
  std::vector<std::uint32_t> d{0x08u << 24 | 1u << 22 | 8u << 16 | 0x65u << 8 | 0u << 1 | 1u, 0x000004u};
  d.push_back(0u << 16 | 0u << 8 | 1u << 1);
  d.push_back(static_cast<std::uint32_t>(m.size / 256 - 1) << 8 | 4u);
  const std::vector<std::uint32_t> map = own(1);
  d.insert(d.end(), map.begin(), map.end());
  return d;
}

void append(Bytes& bytes, std::uint32_t dword) {
  for (int shift = 0; shift < 32; shift += 8) bytes.push_back(static_cast<std::uint8_t>(dword >> shift));
}

}  // namespace

Bytes sfdpTable(const FlashModel& m) {
  if (m.sfdp == FlashModel::Sfdp::None) return {};
  const bool first = m.sfdp == FlashModel::Sfdp::FirstEdition, newest = m.sfdp == FlashModel::Sfdp::Newest;
  const std::uint8_t minor = first ? 0 : newest ? 10 : 6;
  std::vector<std::uint32_t> basic = basicTable(m);
  basic.erase(basic.begin());
  basic.resize(first ? 9 : newest ? 23 : 16);
  std::vector<Table> tables{{0x00, minor, basic}};
  if (newest && m.size > 1u << 24 && m.fourByte == FlashModel::FourByte::OwnCommands && m.tellsFourByte) {
    // 1: read 13h, program 12h, erase types 1 to 3, reads over two (3Ch, BCh) and four lines (6Ch, ECh) and programs
    // over four (34h, 3Eh); 2: opcodes of the erase types
    const std::uint32_t wide =
        (m.lines >= 2 ? 1u << 2 | 1u << 3 : 0) | (m.lines >= 4 ? 1u << 4 | 1u << 5 | 1u << 7 | 1u << 8 : 0);
    tables.push_back({0x84, 0, {wide | 1u | 1u << 6 | 1u << 9 | (m.has32K ? 1u << 10 : 0) | 1u << 11, 0x00DC5C21u}});
  }
  if (newest && !m.regions.empty()) tables.push_back({0x81, 0, sectorMap(m)});

  Bytes bytes{'S', 'F', 'D', 'P', minor, 1, static_cast<std::uint8_t>(tables.size() - 1), 0xFF};
  std::uint32_t at = 0x30;
  for (const Table& t : tables) {
    append(bytes, static_cast<std::uint32_t>(t.dwords.size()) << 24 | 1u << 16 | std::uint32_t{t.minor} << 8 | t.idLow);
    append(bytes, 0xFFu << 24 | at);
    at += static_cast<std::uint32_t>(4 * t.dwords.size() + 16);
  }
  at = 0x30;
  for (const Table& t : tables) {
    bytes.resize(at, 0xFF);
    for (const std::uint32_t dword : t.dwords) append(bytes, dword);
    at += static_cast<std::uint32_t>(4 * t.dwords.size() + 16);
  }
  return bytes;
}

}  // namespace imprimo::sim
