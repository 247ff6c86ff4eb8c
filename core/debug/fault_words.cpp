// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/core_watch.h"

namespace imprimo::debug {
namespace {

struct Bit {
  unsigned bit;
  const char* words;
};
constexpr Bit kConfigurable[] = {
    {0, "an instruction was fetched from where nothing may be executed"},
    {1, "data was accessed where that is not allowed"},
    {3, "the stack could not be read on the way back from an exception (access not allowed)"},
    {4, "the stack could not be written at the entry of an exception (access not allowed)"},
    {8, "the bus refused an instruction fetch"},
    {9, "the bus refused a data access"},
    {10, "the bus refused a data access some instructions earlier"},
    {11, "the bus refused the stack on the way back from an exception"},
    {12, "the bus refused the stack at the entry of an exception"},
    {16, "an undefined instruction"},
    {17, "a jump without the Thumb bit"},
    {18, "a return from an exception with a wrong value"},
    {19, "a coprocessor that is off or not there"},
    {20, "the stack went past its limit"},
    {24, "an unaligned access"},
    {25, "a division by zero"},
};

std::int32_t field(std::uint16_t instruction, unsigned low, unsigned bits) {
  return instruction >> low & ((1 << bits) - 1);
}

}  // namespace

std::vector<std::string> faultWords(std::uint32_t cfsr, std::uint32_t hfsr) {
  std::vector<std::string> words;
  for (const Bit& bit : kConfigurable) {
    if ((cfsr >> bit.bit & 1) != 0) words.emplace_back(bit.words);
  }
  if ((hfsr >> 1 & 1) != 0) words.emplace_back("the vector table could not be read");
  if ((hfsr >> 31 & 1) != 0) words.emplace_back("a breakpoint without a debugger");
  return words;
}

// Encodings: ARMv6-M, DDI 0419, A5.2.4 (the same in ARMv7-M).
std::optional<MemoryAccess> accessOf(std::uint16_t instruction, std::span<const std::uint32_t, 14> r) {
  const auto base = [&] { return r[static_cast<std::size_t>(field(instruction, 3, 3))]; };
  const auto offset = static_cast<std::uint32_t>(field(instruction, 6, 5));
  const bool loads = (instruction >> 11 & 1) != 0;
  switch (instruction >> 12) {
    case 0x5: {  // register offset: STR STRH STRB LDRSB LDR LDRH LDRB LDRSH
      const std::uint32_t at = base() + r[static_cast<std::size_t>(field(instruction, 6, 3))];
      return MemoryAccess{at, field(instruction, 9, 3) >= 3};
    }
    case 0x6:
      return MemoryAccess{base() + 4 * offset, loads};
    case 0x7:
      return MemoryAccess{base() + offset, loads};
    case 0x8:
      return MemoryAccess{base() + 2 * offset, loads};
    case 0x9:
      return MemoryAccess{r[13] + 4 * static_cast<std::uint32_t>(field(instruction, 0, 8)), loads};
    case 0xC:
      return MemoryAccess{r[static_cast<std::size_t>(field(instruction, 8, 3))], loads};
    default:
      return std::nullopt;
  }
}

}  // namespace imprimo::debug
