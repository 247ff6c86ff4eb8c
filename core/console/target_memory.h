// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <span>

namespace imprimo::console {

/// A target's memory as a console needs it, while the target runs. Each throws Error where the access fails.
class TargetMemory {
 public:
  virtual ~TargetMemory() = default;
  virtual void read(std::uint32_t address, std::span<std::uint8_t> out) = 0;
  virtual void write(std::uint32_t address, std::span<const std::uint8_t> bytes) = 0;
};

}  // namespace imprimo::console
