// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/idcode.h"

#include <fmt/format.h>

namespace imprimo::jtag {
namespace {

constexpr std::uint32_t kVersion = 0xF0000000, kPart = 0x0FFFF000, kMaker = 0x00000FFE;

}  // namespace

IdcodeFields fieldsOf(std::uint32_t idcode) {
  return {static_cast<std::uint8_t>(idcode >> 28), static_cast<std::uint16_t>(idcode >> 12),
          static_cast<std::uint8_t>((idcode >> 8 & 0xF) + 1), static_cast<std::uint8_t>(idcode >> 1 & 0x7F)};
}

std::string fieldsText(std::uint32_t idcode) {
  const IdcodeFields f = fieldsOf(idcode);
  return fmt::format("version {}, part 0x{:04X}, maker 0x{:02X} of bank {}", f.version, f.partNumber, f.makerCode,
                     f.makerBank);
}

FieldDifference difference(const bsdl::Pattern& expected, std::uint32_t found) {
  const std::uint32_t wrong = (found ^ expected.value) & expected.mask;
  return {(wrong & kVersion) != 0, (wrong & kPart) != 0, (wrong & kMaker) != 0};
}

std::string FieldDifference::text() const {
  std::string names;
  int count = 0;
  const auto add = [&](bool differs, const char* name) {
    if (!differs) return;
    names += (names.empty() ? "" : " and ") + std::string(name);
    ++count;
  };
  add(version, "version");
  add(partNumber, "part number");
  add(maker, "maker");
  return count == 0 ? "" : names + (count == 1 ? " differs" : " differ");
}

}  // namespace imprimo::jtag
