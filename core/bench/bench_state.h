// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>

#include "core/bench/cores/cores.h"
#include "core/bench/finders.h"
#include "core/jtag/chain.h"
#include "core/pins/pin_scan.h"
#include "core/probe/probe.h"
#include "core/sheet/sheet.h"

namespace imprimo::bench {

class BenchMemory;

/// What a bench, its devices and its memories share. Nobody else has it.
struct BenchState {
  sheet::Sheet sheet;
  std::unique_ptr<probe::Probe> probe;
  std::unique_ptr<jtag::Chain> chain;              ///< null where the sheet has none
  std::unique_ptr<pins::PinScan> otherPins, pins;  ///< in use; they go before the chain does
  std::uint32_t clockHz = 0;
  Finders find;
  std::set<std::size_t> loaded;  ///< positions of devices that were loaded for a route here
  std::set<std::string> stoppedDesigns;
  bool onlyAttach = false;                                  ///< cores are attached to, whatever the sheet says
  std::map<std::string, std::unique_ptr<BenchCore>> cores;  ///< by name
  /// By name; destroyed before chain and probe: memories are put in order first.
  std::map<std::string, std::unique_ptr<BenchMemory>> memories;

  /// The bench's clock, or less where `most` says so.
  void useClock(std::optional<std::uint32_t> most = {});
  /// Memories are left as they were found, and what was known of them is from before.
  void putMemoriesAway();
  /// The sheet's core of that name, whose port may not be up yet. Throws Usage, BadFile, Refused.
  BenchCore& core(const std::string& name);
  /// The debug port of a core, which others of the sheet may share.
  std::shared_ptr<CorePort> portOf(const sheet::CoreEntry& entry);
  /// Brings the ports of all cores up. Throws BrokenChain, Refused.
  void connectCores();
  /// Whether the target's reset is held before the chain is looked at, for a core that is not connected yet.
  bool holdsReset() const;
  void forgetMarks();
};

}  // namespace imprimo::bench
