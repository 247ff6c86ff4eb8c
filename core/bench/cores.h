// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>

#include "core/debug/algorithm_run.h"
#include "core/debug/core_card.h"
#include "core/probe/probe.h"
#include "core/sheet/sheet.h"

namespace imprimo::bench {

/// What a core says of itself, without being halted for it.
struct CoreReport {
  std::string name;
  std::uint32_t dpidr = 0, cpuid = 0;
  debug::CoreState state = debug::CoreState::Running;
  std::optional<std::uint32_t> pc, sp;  ///< where they are known
  bool isTheCards = true;               ///< its identity words are those of the card
};

/// One core of the sheet, reached by its debug port. When this goes, the core is left as it was found; one whose memory
/// was changed and that was not restarted is left halted at its first instruction.
class BenchCore {
 public:
  /// Reads its card. Throws BadFile; Refused where the probe does not speak SWD.
  BenchCore(const sheet::Sheet& sheet, const sheet::CoreEntry& entry, probe::Probe& probe);
  ~BenchCore();

  const debug::CoreCard& card() const { return card_; }
  const std::string& name() const { return entry_.name; }
  /// Brings the port up, unless it still is. Throws BrokenChain where nothing answers, Refused for a wrong access port.
  void connect();
  debug::DebugPort& port() { return port_; }
  debug::MemAp& bus() { return bus_; }
  debug::Core& core() { return core_; }

  /// The card's identity words against what is there. Throws ChainMismatch with both.
  void requireIdentity();
  bool identityMatches();
  /// `halt`: for a moment, so that its registers can be read. Throws LinkLost, BrokenChain.
  CoreReport lookAt(bool halt = false);
  /// Halts the core and makes `algorithm` ready in its RAM, which stays as long as it is asked for.
  debug::AlgorithmRun& running(const std::shared_ptr<const debug::FlashAlgorithm>& algorithm);
  /// UnInit of what runs, if anything does.
  void endAlgorithm();
  /// Flash or RAM is not as it was.
  void noteChanged() { changed_ = true; }
  /// Resets the system and lets it run.
  void restart();

 private:
  bool identityMatches(std::string& difference);

  const sheet::CoreEntry entry_;
  debug::CoreCard card_;
  probe::Probe& probe_;
  debug::DebugPort port_;
  debug::MemAp bus_;
  debug::Core core_;
  std::shared_ptr<const debug::FlashAlgorithm> algorithm_;
  std::unique_ptr<debug::AlgorithmRun> running_;
  bool changed_ = false;
};

/// The card that a core of the sheet names. Throws BadFile.
debug::CoreCard cardOf(const sheet::Sheet& sheet, const sheet::CoreEntry& core);

}  // namespace imprimo::bench
