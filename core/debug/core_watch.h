// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/debug/core_control.h"

namespace imprimo::debug {

/// What a core's registers and its stack say of a fault that it is in.
struct CoreFault {
  unsigned exception = 3;                    ///< 2 to 6, as IPSR numbers them
  std::vector<std::string> reasons;          ///< in words, from the fault registers or the instruction
  std::optional<std::uint32_t> pc, lr, psr;  ///< as they were stacked; nothing where no frame was found
  std::array<std::uint32_t, 5> registers{};  ///< r0 to r3 and r12, where there is a frame
  std::uint32_t sp = 0;                      ///< behind the frame, or as it is
  std::optional<std::uint32_t> address;      ///< that the instruction could not reach
  std::string exceptionName() const;         ///< "hard fault"
};

/// How a core does, sampled while it goes on.
struct CoreWatch {
  enum class Verdict { Runs, Sleeps, Halted, Fault, LockedUp, InReset, Resets, NoVectors };
  struct Place {
    std::uint32_t pc = 0;
    unsigned samples = 0;
  };
  Verdict verdict = Verdict::Runs;
  unsigned samples = 0;       ///< of its state
  unsigned asleep = 0;        ///< of them
  unsigned resets = 0;        ///< seen meanwhile
  std::vector<Place> places;  ///< where it was, the most frequent first; empty where the core does not tell
  std::optional<CoreFault> fault;
  std::optional<std::uint32_t> stackAt;  ///< the first word of the vector table, where it lies outside of the RAM
  bool halted = false;                   ///< for a moment, to read what a fault left
  /// It runs, or sleeps and wakes up, and nothing else was seen.
  bool fine() const { return (verdict == Verdict::Runs || verdict == Verdict::Sleeps) && !stackAt; }
  /// "runs", "is in its hard fault handler" and so on: what follows the core's name.
  std::string words() const;
};

/// As it stands in JSON: "runs", "locked-up" and so on.
const char* nameOf(CoreWatch::Verdict verdict);

struct WatchOptions {
  std::chrono::milliseconds time{1000};
  bool mayHalt = true;                  ///< for a moment, where it is in a fault and goes nowhere
  std::vector<AddressRange> code, ram;  ///< of the card
  std::uint32_t table = 0;              ///< where its vectors are, unless VTOR says otherwise
  std::stop_token stop{};
};

/// Samples state, program counter and active exception again and again without halting the core. Throws LinkLost,
/// BrokenChain, Stopped.
CoreWatch watchCore(Core& core, const WatchOptions& options);

/// The bits of the fault registers of ARMv7-M and ARMv8-M in words (DDI 0403E, B3.2.15 and B3.2.16).
std::vector<std::string> faultWords(std::uint32_t cfsr, std::uint32_t hfsr);

/// The address that a load or store of the 16-bit instruction set reaches with these registers (r0 to r12, sp); nothing
/// for another instruction.
struct MemoryAccess {
  std::uint32_t address = 0;
  bool reads = true;
};
std::optional<MemoryAccess> accessOf(std::uint16_t instruction, std::span<const std::uint32_t, 14> registers);

}  // namespace imprimo::debug
