// SPDX-License-Identifier: GPL-3.0-or-later
//
// At the end of each part's 4 KiB (IHI 0031, D2.3): PIDR4 at 0xFD0, PIDR0 to 3 from 0xFE0, CIDR0 to 3 from 0xFF0, a
// byte in each word. Entries of a table: bit 0 there is something, bit 1 of 32 bits (class 1); bits 1-0 3 there is
// something (class 9); bits 31-12 how far away it is, signed; 0 ends it.
#include "core/debug/rom_table.h"

#include <array>
#include <set>

namespace imprimo::debug {
namespace {

constexpr std::size_t kMostParts = 256;
constexpr unsigned kTableClass = 1, kArchitectureClass = 9, kNoClass = 0xE;
constexpr unsigned kTableArchitecture = 0x0AF7;
constexpr unsigned kArmBank = 5, kArmMaker = 0x3B;

class Walk {
 public:
  explicit Walk(const ReadWord& word) : word_(word) {}

  std::vector<DebugPart> from(std::uint32_t base) {
    visit(base & ~0xFFFu);
    return std::move(parts_);
  }

  std::optional<DebugPart> identify(std::uint32_t at) const {
    std::array<unsigned, 5> pidr{};
    std::array<unsigned, 4> cidr{};
    const auto byte = [&](std::uint32_t offset, unsigned& value) {
      const std::optional<std::uint32_t> word = word_(at + offset);
      value = word.value_or(0) & 0xFF;
      return word.has_value();
    };
    for (unsigned i = 0; i < 4; ++i) {
      if (!byte(0xFF0 + 4 * i, cidr[i]) || !byte(0xFE0 + 4 * i, pidr[i])) return std::nullopt;
    }
    if (!byte(0xFD0, pidr[4])) return std::nullopt;
    if (cidr[0] != 0x0D || (cidr[1] & 0x0F) != 0 || cidr[2] != 0x05 || cidr[3] != 0xB1) return std::nullopt;
    DebugPart part;
    part.at = at;
    part.kind = cidr[1] >> 4;
    part.part = pidr[0] | (pidr[1] & 0x0F) << 8;
    part.maker = pidr[1] >> 4 | (pidr[2] & 7) << 4;
    part.bank = (pidr[4] & 0x0F) + 1;
    part.revision = pidr[2] >> 4;
    if (part.kind == kArchitectureClass) {
      const std::optional<std::uint32_t> architecture = word_(at + 0xFBC);
      if (architecture && (*architecture >> 20 & 1) != 0) part.architecture = *architecture & 0xFFFF;
    }
    return part;
  }

 private:
  void visit(std::uint32_t at) {
    if (parts_.size() >= kMostParts || !seen_.insert(at).second) return;
    const std::optional<DebugPart> part = identify(at);
    if (!part) return;
    parts_.push_back(*part);
    if (part->kind == kTableClass) entries(at, 0xF00 / 4, 1);
    if (part->kind == kArchitectureClass && part->architecture == kTableArchitecture) entries(at, 512, 3);
  }

  void entries(std::uint32_t table, unsigned most, std::uint32_t there) {
    for (unsigned i = 0; i < most && parts_.size() < kMostParts; ++i) {
      const std::optional<std::uint32_t> entry = word_(table + 4 * i);
      if (!entry || *entry == 0) return;
      if ((*entry & there) == there) visit(table + (*entry & ~0xFFFu));
    }
  }

  const ReadWord& word_;
  std::vector<DebugPart> parts_;
  std::set<std::uint32_t> seen_;
};

struct Name {
  unsigned key;
  const char* words;
};

/// By ARCHID (ARMv8-M, D1.2), and by where ARMv6-M and ARMv7-M have their parts (DDI 0403E, C1.2).
constexpr Name kByArchitecture[] = {
    {0x0AF7, "ROM table"},           {0x1A01, "instrumentation trace (ITM)"}, {0x1A02, "data watchpoints (DWT)"},
    {0x1A03, "breakpoints (FPB)"},   {0x2A04, "system control space"},        {0x4A13, "instruction trace (ETM)"},
    {0x1A14, "cross triggers (CTI)"}};
constexpr Name kByAddress[] = {{0xE0000000, "instrumentation trace (ITM)"}, {0xE0001000, "data watchpoints (DWT)"},
                               {0xE0002000, "breakpoints (FPB)"},           {0xE000E000, "system control space"},
                               {0xE0040000, "trace port (TPIU)"},           {0xE0041000, "instruction trace (ETM)"}};

}  // namespace

std::string DebugPart::words() const {
  if (kind == kTableClass) return "ROM table";
  for (const Name& name : kByArchitecture) {
    if (kind == kArchitectureClass && name.key == architecture) return name.words;
  }
  if (bank != kArmBank || maker != kArmMaker || (kind != kNoClass && kind != kArchitectureClass)) return {};
  for (const Name& name : kByAddress) {
    if (name.key == at) return name.words;
  }
  return {};
}

std::optional<DebugPart> romTableAt(std::uint32_t base, const ReadWord& word) {
  const std::optional<DebugPart> part = Walk(word).identify(base & ~0xFFFu);
  const bool table = part && (part->kind == kTableClass ||
                              (part->kind == kArchitectureClass && part->architecture == kTableArchitecture));
  return table ? part : std::nullopt;
}

std::vector<DebugPart> walkRomTable(std::uint32_t base, const ReadWord& word) {
  return Walk(word).from(base);
}

}  // namespace imprimo::debug
