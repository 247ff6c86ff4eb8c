// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "core/jtag/jtag_port.h"
#include "core/probe/swd_port.h"
#include "core/probe/swo_port.h"

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

/// What a probe speaks to the target.
enum class Wires { Jtag, Swd };

struct ProbeOptions {
  Wires wires = Wires::Jtag;
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

/// JTAG by a probe: scan batches, and clocks as they come for who keeps account of the TAP himself.
class TapPort : public jtag::JtagPort {
 public:
  /// One answer for each entry with `capture`.
  virtual std::vector<BitVector> clockRaw(std::span<const RawClocks> clocks) = 0;
};

/// Wires beside the TAP, by the names of ProbeInfo::pins.
class PinPort {
 public:
  virtual ~PinPort() = default;
  /// Nothing: lets it go. Throws Refused for a pin that there is not.
  virtual void drivePin(const std::string& name, std::optional<bool> level) = 0;
  virtual bool pinLevel(const std::string& name) = 0;
};

/// The wire to the target's reset.
class ResetWire {
 public:
  virtual ~ResetWire() = default;
  /// Holds nRESET low for `time`, then lets it go. The TAP's state is unknown afterwards. Throws Refused where it is
  /// not known where the wire is.
  virtual void pulseReset(std::chrono::milliseconds time) = 0;
};

/// A debug probe. What it can do are abilities that it has or has not; each lives as long as the probe.
class Probe {
 public:
  virtual ~Probe() = default;
  virtual const ProbeInfo& info() const = 0;
  /// TCK or SWCLK: what it is, and what is asked for. It is never higher than asked.
  virtual std::uint32_t clockHz() const = 0;
  virtual void setClock(std::uint32_t hz) = 0;
  /// One round trip, with nothing else under way.
  virtual std::chrono::microseconds roundTrip() = 0;
  /// Whether the target has power, where there is a wire that tells; nothing where that can only be inferred.
  virtual std::optional<bool> targetPowered() { return std::nullopt; }

  virtual TapPort* tap() { return nullptr; }
  virtual SwdPort* swd() { return nullptr; }
  virtual SwoPort* swo() { return nullptr; }
  virtual PinPort* pins() { return nullptr; }
  virtual ResetWire* resetWire() { return nullptr; }
};

/// The ability, or Refused saying that the probe has it not.
TapPort& tapOf(Probe& probe);
SwdPort& swdOf(Probe& probe);
SwoPort& swoOf(Probe& probe);
PinPort& pinsOf(Probe& probe);
ResetWire& resetOf(Probe& probe);

}  // namespace imprimo::probe
