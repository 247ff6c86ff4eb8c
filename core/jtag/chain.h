// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <vector>

#include "core/jtag/jtag_port.h"

namespace imprimo::jtag {

/// A chain whose instruction lengths are known: addresses one device while the others are in BYPASS. Positions count
/// from TDI, starting at 1. Bits for one device travel through before(p) devices on the way in and after(p) on the way
/// out.
class Chain {
 public:
  Chain(JtagPort& port, std::vector<std::uint32_t> irLengths) : port_(port), irLengths_(std::move(irLengths)) {}

  std::size_t size() const { return irLengths_.size(); }
  std::size_t before(std::size_t position) const { return position - 1; }
  std::size_t after(std::size_t position) const { return size() - position; }
  JtagPort& port() { return port_; }

  const std::vector<std::uint32_t>& irLengths() const { return irLengths_; }
  /// What all instruction registers are shifted for `opcode` in one device and BYPASS in the others. Throws
  /// std::invalid_argument for an opcode of the wrong length.
  BitVector instructions(std::size_t position, const BitVector& opcode) const {
    return instructions({{position, opcode}});
  }
  struct Holds {
    std::size_t position;
    BitVector opcode;
  };
  BitVector instructions(const std::vector<Holds>& some) const;

  /// Puts `opcode` (wire order) into one device and BYPASS (all ones) into all others. Nothing is sent when they hold
  /// it already. Throws what the port throws, and std::invalid_argument for an opcode of the wrong length.
  void select(std::size_t position, const BitVector& opcode) { select({{position, opcode}}); }
  /// The same for several devices at once.
  void select(const std::vector<Holds>& some) { hold(instructions(some)); }
  /// All devices into BYPASS.
  void bypassAll();
  /// Whatever the registers hold, it is no longer known: the next select sends. Call after a reset.
  void forget() { held_.clear(); }

 private:
  void hold(BitVector instructions);

  JtagPort& port_;
  std::vector<std::uint32_t> irLengths_;
  BitVector held_;       // what the instruction registers hold, in wire order; empty: unknown
  unsigned heldAt_ = 0;  // the port's interruptions then
};

struct PatternCheck {
  int sent = 0;
  int whole = 0;  ///< how many came back as they were sent
};

/// Sends pseudo-random patterns through all devices in BYPASS and looks whether they come back whole.
PatternCheck checkPattern(Chain& chain, int rounds);

}  // namespace imprimo::jtag
