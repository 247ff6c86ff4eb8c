// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "core/jtag/jtag_port.h"

namespace imprimo::probe {

struct ProbeInfo {
  std::string address;  ///< "tcp:localhost:4711"
  std::string kind;     ///< "CMSIS-DAP", "MPSSE"
  std::string vendor, product, serial, firmware;
  bool jtag = true, swd = false;  ///< what it can speak to a target
  std::size_t packetSize = 64;
  std::size_t packetCount = 1;
  std::vector<std::string> pins;  ///< beside the TAP, which can be driven and looked at one by one: "TRST", "RESET"
};

struct ProbeOptions {
  std::uint32_t clockHz = 1'000'000;
  std::optional<std::string> token;    ///< for a shared probe that wants one
  std::string adapter;                 ///< an adapter card's file; empty: the one that fits by itself
  std::vector<std::string> libraries;  ///< folders with more adapter cards
  std::chrono::milliseconds connectLimit{5000};
  std::stop_token stop{};  ///< after it a probe that no longer answers is given up soon
};

/// Clocks with one level on TMS, apart from any TAP state.
struct RawClocks {
  bool tms = false;
  BitVector tdi;  ///< at least one bit
  bool capture = false;
};

/// A debug probe: runs scan batches, and has a few pins beside the TAP.
class Probe : public jtag::JtagPort {
 public:
  virtual const ProbeInfo& info() const = 0;
  void setClock(std::uint32_t hz) override = 0;
  /// Holds the target's reset (nRESET) low for `time`, then lets it go. The TAP's state is unknown afterwards. Throws
  /// Refused where no such wire is known.
  virtual void pulseReset(std::chrono::milliseconds time) = 0;
  /// From a question to its answer, with nothing else under way.
  virtual std::chrono::microseconds roundTrip() = 0;
  /// Whether the target has power, where there is a wire that tells; nothing where that can only be inferred.
  virtual std::optional<bool> targetPowered() { return std::nullopt; }
  /// One of info().pins; nothing: lets it go. Throws Refused for others.
  virtual void drivePin(const std::string& name, std::optional<bool> level);
  virtual bool pinLevel(const std::string& name);
  /// Clocks as they come, for who keeps account of the TAP himself. One answer for each entry with `capture`.
  virtual std::vector<BitVector> clockRaw(std::span<const RawClocks> clocks) = 0;
};

}  // namespace imprimo::probe
