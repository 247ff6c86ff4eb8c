// SPDX-License-Identifier: GPL-3.0-or-later
//
// Written from JESD216B, clause 6.4: each DWORD is put together from its fields, named by their bits.
#include "sim/sfdp_table.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <initializer_list>

#include "sim/spi_flash.h"

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kTableAt = 0x30;

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

}  // namespace

Bytes sfdpTable(const FlashModel& m) {
  if (m.sfdp == FlashModel::Sfdp::None) return {};
  const bool full = m.sfdp == FlashModel::Sfdp::Full;
  std::uint32_t d[17] = {};  // d[1] is the first, as the standard counts
  const bool large = m.size > 1u << 24;
  // 1: 4 KiB erase there (01), write granularity 64 bytes or more, 4 KiB opcode, address bytes 3 or 3-and-4
  d[1] = 0xFFF00000u | (large ? 1u << 17 : 0) | 0x20u << 8 | 0xE0u | (m.page >= 64 ? 1u << 2 : 0) | 1u;
  // 2: density in bits
  d[2] = m.size * 8 <= 0x80000000ull ? static_cast<std::uint32_t>(m.size * 8 - 1)
                                     : 0x80000000u | static_cast<std::uint32_t>(std::bit_width(m.size * 8) - 1);
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
  // 12: suspend not supported; 14: busy is polled by 05h bit 0
  d[12] = 1u << 31;
  d[14] = 1u << 31 | 1u << 2;
  // 16: into 4-byte addresses by B7h (bit 24), out by E9h (bit 14), reset by 66h 99h (bit 12)
  d[16] = (large ? 1u << 24 | 1u << 14 : 0) | 1u << 12;

  const std::uint32_t dwords = full ? 16 : 9;
  Bytes bytes{'S',
              'F',
              'D',
              'P',
              static_cast<std::uint8_t>(full ? 6 : 0),
              1,
              0,
              0xFF,
              0x00,
              static_cast<std::uint8_t>(full ? 6 : 0),
              1,
              static_cast<std::uint8_t>(dwords),
              kTableAt,
              0,
              0,
              0xFF};
  bytes.resize(kTableAt, 0xFF);
  for (std::uint32_t i = 1; i <= dwords; ++i) {
    for (int shift = 0; shift < 32; shift += 8) bytes.push_back(static_cast<std::uint8_t>(d[i] >> shift));
  }
  return bytes;
}

}  // namespace imprimo::sim
