// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/outside_flash.h"

#include <fmt/format.h>

#include <algorithm>

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kMapping = 0x0, kCommandRegister = 0x4, kAddressRegister = 0x8, kDataRegister = 0xC,
                        kStatusRegister = 0x10;
constexpr std::uint32_t kEnableCommand = 0x06, kProgramCommand = 0x02, kEraseCommand = 0x20;

}  // namespace

std::optional<std::uint32_t> OutsideFlash::load(std::uint32_t address, unsigned count, Time now) const {
  if (!mapped_) return std::nullopt;
  if (busy(now)) violations_.add(fmt::format("outside flash: read at 0x{:08x} while it is busy", address));
  std::uint32_t value = 0;
  for (unsigned i = 0; i < count; ++i) value |= std::uint32_t{bytes_[address - model_.at + i]} << (8 * i);
  return value;
}

std::uint32_t OutsideFlash::read(std::uint32_t offset, Time now) const {
  if (offset == kMapping) return mapped_ ? 1 : 0;
  return offset == kStatusRegister && busy(now) ? 1 : 0;
}

void OutsideFlash::write(std::uint32_t offset, std::uint32_t value, Time now) {
  switch (offset) {
    case kMapping:
      if (busy(now)) violations_.add("outside flash: mapped while it is busy");
      mapped_ = (value & 1) != 0;
      return;
    case kCommandRegister:
      return command(value, now);
    case kAddressRegister:
      address_ = value;
      return;
    case kDataRegister:
      for (unsigned i = 0; i < 4; ++i) buffer_.push_back(static_cast<std::uint8_t>(value >> (8 * i)));
      if (buffer_.size() > kPage) violations_.add("outside flash: more than a page is given");
      return;
    default:
      return;
  }
}

void OutsideFlash::command(std::uint32_t code, Time now) {
  if (mapped_ || busy(now)) {
    violations_.add(fmt::format("outside flash: command 0x{:02x} while it is {}", code, mapped_ ? "mapped" : "busy"));
    return;
  }
  if (code == kEnableCommand) {
    enabled_ = true;
    return;
  }
  if (!enabled_ || address_ >= model_.size) {
    violations_.add(fmt::format("outside flash: command 0x{:02x} {}", code,
                                enabled_ ? "behind its end" : "without writing enabled"));
    return;
  }
  enabled_ = false;
  if (code == kEraseCommand) {
    std::fill_n(bytes_.begin() + std::ptrdiff_t{address_ / kSector} * kSector, kSector, kBlankByte);
    until_ = now + fromSeconds(model_.eraseSector);
  } else if (code == kProgramCommand) {
    // What runs over the page's end comes at its beginning.
    for (std::size_t i = 0; i < buffer_.size(); ++i)
      bytes_[std::size_t{address_ / kPage} * kPage + (address_ + i) % kPage] &= buffer_[i];
    until_ = now + fromSeconds(model_.programPage);
  } else {
    violations_.add(fmt::format("outside flash: it has no command 0x{:02x}", code));
  }
  buffer_.clear();
}

}  // namespace imprimo::sim
