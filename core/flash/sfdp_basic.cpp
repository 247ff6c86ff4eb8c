// SPDX-License-Identifier: GPL-3.0-or-later
//
// JESD216F 6.4, basic flash parameter table, and 6.6, 4-byte address instruction table. DWORDs count from 1 as in the
// standard.
#include "core/flash/sfdp_basic.h"

#include <array>

namespace imprimo::flash {
namespace {

std::uint64_t sizeOf(const Dwords& d) {
  const std::uint32_t density = d[2];
  if ((density & 0x80000000u) == 0) return (static_cast<std::uint64_t>(density) + 1) / 8;
  const std::uint32_t exponent = density & 0x7FFFFFFFu;
  return exponent >= 3 && exponent < 63 ? 1ull << (exponent - 3) : 0;
}

void assumedTimes(memory::EraseType& type) {
  // Slower than any part we know of: 4 KiB within 0.4 s, 64 KiB within 3 s.
  const double perKib = static_cast<double>(type.size) / 1024;
  type.typical = 0.045 + 0.005 * perKib;
  type.longest = 0.4 + 0.05 * perKib;
}

void eraseTimes(memory::EraseType& type, int index, const Dwords& d) {
  if (!d.has(10)) return assumedTimes(type);
  constexpr std::array<double, 4> kUnits{0.001, 0.016, 0.128, 1.0};
  const std::uint32_t code = d[10] >> (4 + 7 * index) & 0x7F;
  type.typical = (field(code, 4, 0) + 1) * kUnits[field(code, 6, 5)];
  type.longest = 2.0 * (field(d[10], 3, 0) + 1) * type.typical;
}

void eraseTypes(BasicGeometry& basic, const Dwords& d) {
  memory::Geometry& g = basic.geometry;
  for (int i = 0; i < 4 && d.has(9); ++i) {
    const std::uint32_t half = d[i < 2 ? 8 : 9] >> (i % 2 * 16) & 0xFFFF;
    const std::uint32_t exponent = half & 0xFF;
    if (exponent == 0 || exponent > 40) continue;
    memory::EraseType type{1ull << exponent, 0, 0};
    eraseTimes(type, i, d);
    basic.typeAt[i] = g.erase.size();
    g.erase.push_back(type);
    basic.commands.erase.push_back({static_cast<std::uint8_t>(half >> 8)});
  }
  // Before DWORDs 8 and 9 were thought of, DWORD 1 named the 4 KiB erase.
  if (g.erase.empty() && field(d[1], 1, 0) == 1) {
    memory::EraseType type{4096, 0, 0};
    assumedTimes(type);
    g.erase.push_back(type);
    basic.commands.erase.push_back({static_cast<std::uint8_t>(field(d[1], 15, 8))});
  }
}

void page(memory::Geometry& g, const Dwords& d) {
  if (!d.has(11)) {
    g.page = field(d[1], 2, 2) == 1 ? 64 : 1;
    g.pageTypical = 0.001;
    g.pageLongest = 0.010;
    return;
  }
  g.page = 1u << field(d[11], 7, 4);
  g.pageTypical = (field(d[11], 12, 8) + 1) * (field(d[11], 13, 13) == 1 ? 64e-6 : 8e-6);
  g.pageLongest = 2.0 * (field(d[11], 3, 0) + 1) * g.pageTypical;
}

/// Table 0xFF84: DWORD 1 tells which commands there are (0: read 13, 6: program 12, 9 to 12: the erase types), DWORD 2
/// the erase commands.
bool ownCommands(BasicGeometry& basic, const SfdpTable& table) {
  const Dwords d{table.dwords};
  if (!d.has(2) || field(d[1], 0, 0) == 0 || field(d[1], 6, 6) == 0) return false;
  std::array<std::uint8_t, 4> opcodes{};
  for (int i = 0; i < 4; ++i) {
    if (!basic.typeAt[i]) continue;
    if (field(d[1], 9 + i, 9 + i) == 1)
      opcodes[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(d[2] >> (8 * i));
  }
  // An erase type without such a command would have to be left out; the smallest decides whether that is worth it.
  bool any = false;
  for (std::size_t i = 0; i < 4; ++i) {
    if (!basic.typeAt[i]) continue;
    basic.commands.erase[*basic.typeAt[i]].opcode4 = opcodes[i];
    any = any || opcodes[i] != 0;
  }
  for (std::size_t i = 0; i < 4; ++i) {
    if (basic.typeAt[i] && opcodes[i] == 0) any = false;
  }
  return any;
}

void fourByte(BasicGeometry& basic, const Dwords& d, const SfdpTable* commands) {
  FourByteEntry& way = basic.commands.fourByte;
  const std::uint32_t ways = d.has(16) ? field(d[16], 31, 24) : 0;
  if (field(d[1], 18, 17) == 2 || (ways & 0x40) != 0) {
    way = FourByteEntry::Always;  // a small part too
  } else if (basic.geometry.size <= kThreeByteReach) {
    return;
  } else if (commands != nullptr && ownCommands(basic, *commands)) {
    way = FourByteEntry::OwnCommands;  // nothing to leave, so nothing that could be left behind
  } else if ((ways & 0x01) != 0) {
    way = FourByteEntry::Command;
  } else if ((ways & 0x02) != 0) {
    way = FourByteEntry::WriteEnableThenCommand;
  } else if ((ways & 0x08) != 0) {
    way = FourByteEntry::BankRegister;
  } else if ((ways & 0x04) != 0) {
    way = FourByteEntry::SegmentRegister;
  } else {
    way = FourByteEntry::Unknown;
  }
}

/// DWORD 1 tells which reads over several lines there are, DWORDs 3 and 4 their commands and clocks (6.4.4, 6.4.6,
/// 6.4.7). Table 0xFF84 has the same reads with four address bytes, and programs (6.6, DWORD 1).
void wideCommands(BasicGeometry& basic, const Dwords& d, const SfdpTable* fourByteCommands) {
  struct Row {
    int supported;  // bit of DWORD 1
    std::size_t dword;
    int low;
    unsigned addressLines, dataLines;
    int supported4;  // bit of the other table's DWORD 1
    std::uint8_t opcode4;
  };
  static constexpr std::array<Row, 4> kRows{
      {{16, 4, 0, 1, 2, 2, 0x3C}, {20, 4, 16, 2, 2, 3, 0xBC}, {22, 3, 16, 1, 4, 4, 0x6C}, {21, 3, 0, 4, 4, 5, 0xEC}}};
  static const std::vector<std::uint32_t> kNone;
  const Dwords own{fourByteCommands == nullptr ? kNone : fourByteCommands->dwords};
  for (const Row& row : kRows) {
    if (!d.has(4) || field(d[1], row.supported, row.supported) == 0) continue;
    const std::uint32_t half = d[row.dword] >> row.low & 0xFFFF;
    WideCommand command{static_cast<std::uint8_t>(half >> 8),
                        row.addressLines,
                        row.dataLines,
                        field(half, 7, 5),
                        field(half, 4, 0),
                        false};
    if (command.opcode == 0 || command.opcode == 0xFF) continue;
    basic.commands.wideReads.push_back(command);
    if (field(own[1], row.supported4, row.supported4) == 0) continue;
    command.opcode = row.opcode4;
    command.fourByte = true;
    basic.commands.wideReads.push_back(command);
  }
  if (field(own[1], 7, 7) == 1) basic.commands.widePrograms.push_back({0x34, 1, 4, 0, 0, true});
  if (field(own[1], 8, 8) == 1) basic.commands.widePrograms.push_back({0x3E, 4, 4, 0, 0, true});
}

/// DWORD 15, bits 22 to 20. With 000 there is no such bit. DWORD 16, bit 3: 50h comes before a write of the status
/// register that lasts as long as the supply.
void quadEnable(BasicGeometry& basic, const Dwords& d) {
  if (!d.has(15)) return;
  switch (field(d[15], 22, 20)) {
    case 0:
      basic.commands.quad = QuadEnable{};
      break;
    case 1:
    case 4:
    case 5:
    case 6:
      basic.commands.quad = QuadEnable{"status 2", 0x35, 0x02};
      break;
    case 2:
      basic.commands.quad = QuadEnable{"status 1", 0x05, 0x40};
      break;
    case 3:
      basic.commands.quad = QuadEnable{"status 2", 0x3F, 0x80};
      break;
    default:
      break;
  }
  if (basic.commands.quad && basic.commands.quad->mask != 0 && d.has(16) && field(d[16], 3, 3) == 1)
    basic.commands.quad->volatileEnable = 0x50;
}

FlashFacts factsOf(const Dwords& d) {
  constexpr std::array<double, 4> kShort{128e-9, 1e-6, 8e-6, 64e-6};
  FlashFacts facts;
  if (d.has(1) && field(d[1], 3, 3) == 1) facts.volatileEnable = field(d[1], 4, 4) == 1 ? 0x06 : 0x50;
  if (d.has(11)) {
    constexpr std::array<double, 4> kLong{0.016, 0.256, 4.0, 64.0};
    facts.chipErase = (field(d[11], 28, 24) + 1) * kLong[field(d[11], 30, 29)];
  }
  if (d.has(13) && field(d[12], 31, 31) == 0) {
    facts.suspend = FlashFacts::Suspend{static_cast<std::uint8_t>(field(d[13], 15, 8)),
                                        static_cast<std::uint8_t>(field(d[13], 7, 0)),
                                        static_cast<std::uint8_t>(field(d[13], 31, 24)),
                                        static_cast<std::uint8_t>(field(d[13], 23, 16)),
                                        (field(d[12], 17, 13) + 1) * kShort[field(d[12], 19, 18)],
                                        (field(d[12], 28, 24) + 1) * kShort[field(d[12], 30, 29)]};
  }
  if (d.has(14) && field(d[14], 31, 31) == 0) {
    facts.deepPowerDown = FlashFacts::DeepPowerDown{static_cast<std::uint8_t>(field(d[14], 30, 23)),
                                                    static_cast<std::uint8_t>(field(d[14], 22, 15)),
                                                    (field(d[14], 12, 8) + 1) * kShort[field(d[14], 14, 13)]};
  }
  if (d.has(15)) facts.quadEnable = field(d[15], 22, 20);
  if (d.has(16)) facts.softReset = field(d[16], 13, 8);
  return facts;
}

}  // namespace

BasicGeometry basicGeometry(const SfdpTable& table, const SfdpTable* fourByteCommands) {
  const Dwords d{table.dwords};
  BasicGeometry basic;
  basic.geometry.size = sizeOf(d);
  basic.geometry.timesAssumed = !d.has(11);
  eraseTypes(basic, d);
  page(basic.geometry, d);
  fourByte(basic, d, fourByteCommands);
  // Bit 2: status register 05, busy in bit 0; bit 3: flag register 70, ready in bit 7.
  if (d.has(14) && field(d[14], 7, 2) == 2) basic.commands.ready = {0x70, 0x80, 0x80};
  wideCommands(basic, d, fourByteCommands);
  quadEnable(basic, d);
  basic.facts = factsOf(d);
  return basic;
}

}  // namespace imprimo::flash
