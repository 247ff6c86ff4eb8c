// SPDX-License-Identifier: GPL-3.0-or-later
//
// The tables of JESD216F in words, field by field, for people who compare them with a data sheet.
#include <fmt/format.h>

#include <array>

#include "core/base/number.h"
#include "core/flash/sfdp_basic.h"

namespace imprimo::flash {
namespace {

using Words = std::string (*)(std::uint32_t value, const Dwords& table);

struct FieldRule {
  unsigned dword;
  int high, low;
  const char* name;
  Words words;
};

std::string number(std::uint32_t v, const Dwords&) {
  return std::to_string(v);
}
std::string opcode(std::uint32_t v, const Dwords&) {
  return v == 0 ? "none" : fmt::format("0x{:02X}", v);
}
std::string yes(std::uint32_t v, const Dwords&) {
  return v != 0 ? "yes" : "no";
}
std::string no(std::uint32_t v, const Dwords&) {
  return v != 0 ? "no" : "yes";
}
std::string bits(std::uint32_t v, const Dwords&) {
  return fmt::format("0x{:X}", v);
}

std::string uniformErase(std::uint32_t v, const Dwords&) {
  return v == 1 ? "everywhere" : "not everywhere";
}
std::string granularity(std::uint32_t v, const Dwords&) {
  return v == 1 ? "64 bytes or more" : "1 byte";
}
std::string volatileEnable(std::uint32_t v, const Dwords&) {
  return v == 1 ? "06" : "50";
}
std::string addressBytes(std::uint32_t v, const Dwords&) {
  constexpr std::array<const char*, 4> kWays{"3", "3 or 4", "4", "reserved"};
  return kWays[v];
}
std::string density(std::uint32_t v, const Dwords&) {
  if ((v & 0x80000000u) == 0) return sizeText((std::uint64_t{v} + 1) / 8);
  const std::uint32_t exponent = v & 0x7FFFFFFFu;
  return exponent >= 3 && exponent < 63 ? sizeText(1ull << (exponent - 3)) : "cannot be";
}
std::string powerOfTwo(std::uint32_t v, const Dwords&) {
  return v == 0 ? "none" : v < 48 ? sizeText(1ull << v) : "cannot be";
}
std::string page(std::uint32_t v, const Dwords&) {
  return sizeText(1ull << v);
}
std::string multiplier(std::uint32_t v, const Dwords&) {
  return fmt::format("at most {} times the typical", 2 * (v + 1));
}

std::string timeIn(std::uint32_t count, double unit) {
  return durationText((count + 1) * unit);
}
std::string fine(double seconds) {
  return seconds < 1e-6 ? fmt::format("{:.0f} ns", seconds * 1e9) : fmt::format("{:g} µs", seconds * 1e6);
}
std::string eraseTime(std::uint32_t v, const Dwords&) {
  constexpr std::array<double, 4> kUnits{0.001, 0.016, 0.128, 1.0};
  return timeIn(v & 31, kUnits[v >> 5]);
}
std::string chipTime(std::uint32_t v, const Dwords&) {
  constexpr std::array<double, 4> kUnits{0.016, 0.256, 4.0, 64.0};
  return timeIn(v & 31, kUnits[v >> 5]);
}
std::string pageTime(std::uint32_t v, const Dwords&) {
  return fine(((v & 31) + 1) * ((v >> 5) != 0 ? 64e-6 : 8e-6));
}
std::string byteTime(std::uint32_t v, const Dwords&) {
  return fine(((v & 15) + 1) * ((v >> 4) != 0 ? 8e-6 : 1e-6));
}
std::string latency(std::uint32_t v, const Dwords&) {
  constexpr std::array<double, 4> kUnits{128e-9, 1e-6, 8e-6, 64e-6};
  return fine(((v & 31) + 1) * kUnits[v >> 5]);
}
std::string interval(std::uint32_t v, const Dwords&) {
  return fine((v + 1) * 64e-6);
}

std::string listOf(std::uint32_t v, std::initializer_list<const char*> names) {
  std::string text;
  for (const char* name : names) {
    if ((v & 1) != 0) text += fmt::format("{}{}", text.empty() ? "" : "; ", name);
    v >>= 1;
  }
  return text.empty() ? "none named" : text;
}
std::string polling(std::uint32_t v, const Dwords&) {
  return listOf(v, {"05, bit 0 is busy", "70, bit 7 is ready"});
}
std::string quad(std::uint32_t v, const Dwords&) {
  constexpr std::array<const char*, 8> kWhere{"no such bit",
                                              "bit 1 of status 2, written by 01 with two bytes; one byte clears it",
                                              "bit 6 of status 1, written by 01",
                                              "bit 7 of status 2, read by 3F, written by 3E",
                                              "bit 1 of status 2, written by 01 with two bytes",
                                              "bit 1 of status 2 (35), written by 01 with two bytes",
                                              "bit 1 of status 2, read by 35, written by 31",
                                              "reserved"};
  return kWhere[v];
}
std::string reset(std::uint32_t v, const Dwords&) {
  return listOf(v, {"F on 4 wires, 8 clocks", "F on 4 wires, 10 clocks", "F on 4 wires, 16 clocks", "F0", "66 then 99",
                    "leave 0-4-4 first"});
}
std::string enterFour(std::uint32_t v, const Dwords&) {
  return listOf(v, {"B7", "06 then B7", "C5 sets the upper byte", "17 with bit 7", "a nonvolatile register (B1)",
                    "own commands", "always in it"});
}
std::string leaveFour(std::uint32_t v, const Dwords&) {
  return listOf(v, {"E9", "06 then E9", "C5 to 0", "17 without bit 7", "a nonvolatile register (B1)", "hardware reset",
                    "soft reset", "power cycle"});
}
std::string statusKind(std::uint32_t v, const Dwords&) {
  return listOf(v, {"nonvolatile, 06", "volatile, 06", "volatile, 50", "both, nonvolatile by 06 and volatile by 50",
                    "mixed bits, 06"});
}

// clang-format off
const FieldRule kBasic[] = {
    {1, 1, 0, "4 KiB erase", uniformErase}, {1, 2, 2, "write granularity", granularity},
    {1, 3, 3, "volatile protection bits", yes}, {1, 4, 4, "enable for volatile status", volatileEnable},
    {1, 15, 8, "4 KiB erase command", opcode}, {1, 16, 16, "1-1-2 reads", yes}, {1, 18, 17, "address bytes", addressBytes},
    {1, 19, 19, "double transfer rate", yes}, {1, 20, 20, "1-2-2 reads", yes}, {1, 21, 21, "1-4-4 reads", yes},
    {1, 22, 22, "1-1-4 reads", yes}, {2, 31, 0, "size", density},
    {3, 15, 8, "1-4-4 read command", opcode}, {3, 4, 0, "1-4-4 wait clocks", number}, {3, 7, 5, "1-4-4 mode clocks", number},
    {3, 31, 24, "1-1-4 read command", opcode}, {3, 20, 16, "1-1-4 wait clocks", number}, {3, 23, 21, "1-1-4 mode clocks", number},
    {4, 15, 8, "1-1-2 read command", opcode}, {4, 4, 0, "1-1-2 wait clocks", number}, {4, 7, 5, "1-1-2 mode clocks", number},
    {4, 31, 24, "1-2-2 read command", opcode}, {4, 20, 16, "1-2-2 wait clocks", number}, {4, 23, 21, "1-2-2 mode clocks", number},
    {5, 0, 0, "2-2-2 reads", yes}, {5, 4, 4, "4-4-4 reads", yes},
    {6, 31, 24, "2-2-2 read command", opcode}, {6, 20, 16, "2-2-2 wait clocks", number}, {6, 23, 21, "2-2-2 mode clocks", number},
    {7, 31, 24, "4-4-4 read command", opcode}, {7, 20, 16, "4-4-4 wait clocks", number}, {7, 23, 21, "4-4-4 mode clocks", number},
    {8, 7, 0, "erase type 1", powerOfTwo}, {8, 15, 8, "its command", opcode},
    {8, 23, 16, "erase type 2", powerOfTwo}, {8, 31, 24, "its command", opcode},
    {9, 7, 0, "erase type 3", powerOfTwo}, {9, 15, 8, "its command", opcode},
    {9, 23, 16, "erase type 4", powerOfTwo}, {9, 31, 24, "its command", opcode},
    {10, 3, 0, "longest erase", multiplier}, {10, 10, 4, "erase type 1 takes", eraseTime}, {10, 17, 11, "erase type 2 takes", eraseTime},
    {10, 24, 18, "erase type 3 takes", eraseTime}, {10, 31, 25, "erase type 4 takes", eraseTime},
    {11, 3, 0, "longest program", multiplier}, {11, 7, 4, "page", page}, {11, 13, 8, "a page takes", pageTime},
    {11, 18, 14, "a first byte takes", byteTime}, {11, 23, 19, "each more takes", byteTime}, {11, 30, 24, "erasing it all takes", chipTime},
    {12, 31, 31, "can be suspended", no}, {12, 3, 0, "not during a suspended program", bits}, {12, 7, 4, "not during a suspended erase", bits},
    {12, 12, 9, "program runs before it is suspended again", interval}, {12, 19, 13, "program stops within", latency},
    {12, 23, 20, "erase runs before it is suspended again", interval}, {12, 30, 24, "erase stops within", latency},
    {13, 15, 8, "suspend program", opcode}, {13, 7, 0, "resume program", opcode},
    {13, 31, 24, "suspend erase", opcode}, {13, 23, 16, "resume erase", opcode},
    {14, 7, 2, "ready is told by", polling}, {14, 31, 31, "deep power-down", no}, {14, 30, 23, "enter it", opcode},
    {14, 22, 15, "leave it", opcode}, {14, 14, 8, "awake within", latency},
    {15, 3, 0, "4-4-4 off", bits}, {15, 8, 4, "4-4-4 on", bits}, {15, 9, 9, "0-4-4 reads", yes}, {15, 15, 10, "0-4-4 out", bits},
    {15, 19, 16, "0-4-4 in", bits}, {15, 22, 20, "quad enable bit", quad}, {15, 23, 23, "hold or reset can be switched off", yes},
    {16, 6, 0, "status 1 is", statusKind}, {16, 13, 8, "soft reset", reset}, {16, 23, 14, "out of 4-byte addresses", leaveFour},
    {16, 31, 24, "into 4-byte addresses", enterFour},
    {17, 15, 8, "1-8-8 read command", opcode}, {17, 4, 0, "1-8-8 wait clocks", number}, {17, 7, 5, "1-8-8 mode clocks", number},
    {17, 31, 24, "1-1-8 read command", opcode}, {17, 20, 16, "1-1-8 wait clocks", number}, {17, 23, 21, "1-1-8 mode clocks", number},
    {18, 22, 18, "output drivers", bits}, {18, 23, 23, "reset by signals on the wires", yes}, {18, 30, 29, "second command byte in 8D-8D-8D", bits},
    {18, 31, 31, "bytes swapped in 8D-8D-8D", yes},
    {19, 3, 0, "8s-8s-8s off", bits}, {19, 8, 4, "8s-8s-8s on", bits}, {19, 9, 9, "0-8-8 reads", yes}, {19, 22, 20, "octal enable bit", bits},
    {20, 31, 0, "fastest 4 and 8 wire modes", bits},
};
const FieldRule kFourByteCommands[] = {
    {1, 0, 0, "read 13", yes}, {1, 1, 1, "fast read 0C", yes}, {1, 2, 2, "1-1-2 read 3C", yes}, {1, 3, 3, "1-2-2 read BC", yes},
    {1, 4, 4, "1-1-4 read 6C", yes}, {1, 5, 5, "1-4-4 read EC", yes}, {1, 6, 6, "program 12", yes}, {1, 7, 7, "1-1-4 program 34", yes},
    {1, 8, 8, "1-4-4 program 3E", yes}, {1, 9, 9, "erase type 1", yes}, {1, 10, 10, "erase type 2", yes},
    {1, 11, 11, "erase type 3", yes}, {1, 12, 12, "erase type 4", yes},
    {2, 7, 0, "erase type 1 command", opcode}, {2, 15, 8, "erase type 2 command", opcode},
    {2, 23, 16, "erase type 3 command", opcode}, {2, 31, 24, "erase type 4 command", opcode},
};
// clang-format on

template <std::size_t N>
std::vector<SfdpField> inWords(const FieldRule (&rules)[N], const SfdpTable& table) {
  const Dwords d{table.dwords};
  std::vector<SfdpField> fields;
  for (const FieldRule& rule : rules) {
    if (!d.has(rule.dword)) continue;
    const std::uint32_t value = field(d[rule.dword], rule.high, rule.low);
    fields.push_back({rule.dword, rule.high, rule.low, value, rule.name, rule.words(value, d)});
  }
  return fields;
}

std::string typesText(std::uint32_t types) {
  std::string text;
  for (int i = 0; i < 4; ++i) {
    if ((types >> i & 1) != 0) text += fmt::format("{}{}", text.empty() ? "" : ", ", i + 1);
  }
  return text.empty() ? "none" : text;
}

/// Descriptors follow one another; what a DWORD means depends on those before it.
std::vector<SfdpField> sectorMapInWords(const SfdpTable& table) {
  const Dwords d{table.dwords};
  std::vector<SfdpField> fields;
  const auto add = [&](std::size_t dword, int high, int low, const char* name, std::string meaning) {
    fields.push_back({static_cast<unsigned>(dword), high, low, field(d[dword], high, low), name, std::move(meaning)});
  };
  std::size_t at = 1;
  while (d.has(at + 1)) {
    if (field(d[at], 1, 1) == 0) {
      add(at, 15, 8, "configuration: command", opcode(field(d[at], 15, 8), d));
      add(at, 31, 24, "its bits", bits(field(d[at], 31, 24), d));
      add(at + 1, 31, 0, "at address", hexAddress(d[at + 1]));
      at += 2;
      continue;
    }
    const std::size_t regions = field(d[at], 23, 16) + 1;
    add(at, 15, 8, "map for configuration", std::to_string(field(d[at], 15, 8)));
    for (std::size_t i = 1; i <= regions && d.has(at + i); ++i) {
      add(at + i, 31, 8, "region", sizeText((std::uint64_t{field(d[at + i], 31, 8)} + 1) * 256));
      add(at + i, 3, 0, "its erase types", typesText(field(d[at + i], 3, 0)));
    }
    if (field(d[at], 0, 0) == 1) break;
    at += regions + 1;
  }
  return fields;
}

}  // namespace

std::string tableName(std::uint16_t id) {
  switch (id) {
    case 0xFF00:
      return "basic table";
    case 0xFF81:
      return "sector map";
    case 0xFF84:
      return "4-byte commands";
    default:
      return (id >> 8) == 0xFF ? fmt::format("table 0x{:04X}", id) : fmt::format("maker's table 0x{:04X}", id);
  }
}

std::vector<SfdpField> fieldsOf(const SfdpTable& table) {
  switch (table.id) {
    case 0xFF00:
      return inWords(kBasic, table);
    case 0xFF81:
      return sectorMapInWords(table);
    case 0xFF84:
      return inWords(kFourByteCommands, table);
    default:
      return {};
  }
}

}  // namespace imprimo::flash
