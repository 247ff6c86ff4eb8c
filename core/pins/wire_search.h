// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <set>
#include <stop_token>

#include "core/pins/pin_spi_port.h"

namespace imprimo::pins {

/// Which of several ports lead to a serial flash. Only 0x9F and 0x5A are sent; ports that are not tried are let go, and
/// what comes back is looked for on all of them at once, so that three of the four wires are tried and the last is
/// seen.
class WireSearch {
 public:
  static constexpr std::size_t kFewest = 4, kMost = 16;

  struct Found {
    SpiWires wires;
    std::uint32_t id = 0;  ///< three bytes behind 0x9F, the first one high
  };
  /// `candidates`: ports by their index. Throws Usage for too few, too many, the same twice, or ones that cannot be
  /// driven and sampled.
  WireSearch(PinScan& scan, std::vector<std::size_t> candidates);

  /// Orders that are tried at most.
  std::size_t most() const { return candidates_.size() * (candidates_.size() - 1) * (candidates_.size() - 2); }
  /// How long they take at most, in seconds of bus time.
  double longest() const;
  std::size_t tried() const { return tried_; }
  /// `told` hears after some trials each how many there were. Afterwards all pins are the device's own. Throws
  /// LinkLost, Stopped.
  std::optional<Found> run(const std::function<void(std::size_t tried)>& told, const std::stop_token& stop);

 private:
  struct Trial {
    std::size_t cs, clk, mosi;
  };
  void add(jtag::ScanBatch& batch, const Trial& trial);
  std::optional<Found> confirm(const Trial& trial, std::size_t miso, std::uint32_t id);
  std::vector<std::size_t> inOrder();
  void lookWhatIsJoined(std::vector<std::size_t>& driven);
  bool joined(std::size_t a, std::size_t b) const { return joined_.contains({std::min(a, b), std::max(a, b)}); }

  PinScan& scan_;
  std::vector<std::size_t> candidates_;
  std::vector<std::uint32_t> inputs_;     // their cells, sorted
  std::vector<std::size_t> portOfInput_;  // whose each is
  BitVector open_;                        // cells with everything let go
  BitVector sampled_;
  std::size_t tried_ = 0;
  std::set<std::pair<std::size_t, std::size_t>> joined_;  // ports that are on one net
};

}  // namespace imprimo::pins
