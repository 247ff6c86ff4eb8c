// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/registers.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::memory {

std::string bitsText(int high, int low) {
  return high == low ? std::to_string(high) : fmt::format("{}..{}", high, low);
}

std::optional<std::pair<int, int>> parseBits(std::string_view text) {
  const auto digit = [](char c) { return c >= '0' && c <= '7'; };
  if (text.size() == 1 && digit(text[0])) return std::pair{text[0] - '0', text[0] - '0'};
  if (text.size() != 4 || !digit(text[0]) || text.substr(1, 2) != ".." || !digit(text[3]) || text[0] < text[3])
    return std::nullopt;
  return std::pair{text[0] - '0', text[3] - '0'};
}

std::uint8_t Register::writable() const {
  if (!canWrite) return 0;
  std::uint8_t mask = 0xFF;
  for (const RegisterBits& b : bits) mask &= b.readOnly ? static_cast<std::uint8_t>(~b.mask()) : 0xFF;
  return mask;
}

std::uint8_t Register::once() const {
  std::uint8_t mask = 0;
  for (const RegisterBits& b : bits) mask |= b.once ? b.mask() : 0;
  return mask;
}

std::size_t registerNamed(const std::vector<Register>& registers, const std::string& name) {
  std::string known;
  for (std::size_t i = 0; i < registers.size(); ++i) {
    if (registers[i].name == name) return i;
    known += fmt::format("{}\"{}\"", known.empty() ? "" : ", ", registers[i].name);
  }
  throw Error(ErrorKind::Usage, fmt::format("the part has no register \"{}\"; it has {}", name, known));
}

const Protection::Level* Protection::levelOf(std::uint8_t registerValue) const {
  const std::uint8_t value = bits().of(registerValue);
  const auto level = std::find_if(levels.begin(), levels.end(), [&](const Level& l) { return l.value == value; });
  return level == levels.end() ? nullptr : &*level;
}

const Protection::Level* Protection::openFor(const RangeSet& changes) const {
  const auto sizeOf = [](const Level& level) { return RangeSet(level.ranges).size(); };
  const Level* best = nullptr;
  for (const Level& level : levels) {
    if (std::any_of(level.ranges.begin(), level.ranges.end(),
                    [&](const AddressRange& r) { return changes.overlaps(r); }))
      continue;
    if (best == nullptr || sizeOf(level) > sizeOf(*best)) best = &level;
  }
  return best;
}

}  // namespace imprimo::memory
