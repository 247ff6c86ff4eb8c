// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>

#include "core/base/bytes.h"
#include "sim/sim_clock.h"
#include "sim/violations.h"

namespace imprimo::sim {

struct OutsideModel {
  std::uint32_t at = 0x60000000, size = 0x100000;
  double eraseSector = 0.030, programPage = 0.0004;  ///< seconds
};

/// A serial flash beside a chip, which its controller maps into the address space or gives single commands
/// (docs/formats/bench.md): one or the other.
class OutsideFlash {
 public:
  static constexpr std::uint32_t kController = 0x40050000, kControllerSize = 0x14, kSector = 0x1000, kPage = 0x100;

  OutsideFlash(OutsideModel model, Violations& violations)
      : model_(model), violations_(violations), bytes_(model.size, kBlankByte) {}
  Bytes& bytes() { return bytes_; }
  bool holds(std::uint32_t address) const { return address >= model_.at && address - model_.at < model_.size; }
  /// What is mapped; nothing while it is not.
  std::optional<std::uint32_t> load(std::uint32_t address, unsigned count, Time now) const;
  std::uint32_t read(std::uint32_t offset, Time now) const;
  void write(std::uint32_t offset, std::uint32_t value, Time now);
  void reset() {
    mapped_ = true;
    enabled_ = false;
    buffer_.clear();
  }

 private:
  bool busy(Time now) const { return now < until_; }
  void command(std::uint32_t code, Time now);

  OutsideModel model_;
  Violations& violations_;
  Bytes bytes_, buffer_;
  bool mapped_ = true, enabled_ = false;
  std::uint32_t address_ = 0;
  Time until_ = 0;
};

}  // namespace imprimo::sim
