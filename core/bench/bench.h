// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <stop_token>
#include <string>

#include "core/bench/bench_memory.h"
#include "core/bench/clock_report.h"
#include "core/bench/devices.h"
#include "core/jtag/chain_expectation.h"
#include "core/jtag/examine.h"
#include "core/pins/pin_scan.h"

namespace imprimo::bench {

/// What is connected: one probe, the chain behind it, its devices, and the memories that a sheet says are reached
/// through it. One thread at a time.
class Bench {
 public:
  Bench(sheet::Sheet sheet, std::unique_ptr<probe::Probe> probe);

  probe::Probe& probe() { return *state_.probe; }
  /// Throws Refused where the sheet has none: all that it has is reached by SWD.
  jtag::Chain& chain();
  /// The sheet's core of that name, its port up. Throws Usage, BadFile, BrokenChain.
  BenchCore& core(const std::string& name);
  /// From now on cores are only attached to: see BenchCore::onlyAttach.
  void onlyAttach();
  Devices& devices() { return devices_; }
  /// The boundary register of the sheet's device there; the chain is used by nobody else meanwhile. Throws Usage where
  /// the sheet has no BSDL file for it, BadFile.
  std::unique_ptr<pins::PinScan> openPins(std::size_t position);
  /// The same, kept until another device's is asked for, or letPinsGo().
  pins::PinScan& pins(std::size_t position, std::size_t also = 0);
  /// The other device that is sampled in the scans of pins(); null without one.
  const pins::PinScan* otherPins() const;
  /// All pins are the devices' own again. Throws LinkLost.
  void letPinsGo();
  /// The sheet's memory of that name. Throws Usage naming those that there are.
  BenchMemory& at(const std::string& memory);
  /// Whether that memory was identified; no for a name that the sheet does not have.
  bool identified(const std::string& memory) const;

  const sheet::Sheet& sheet() const { return state_.sheet; }
  /// Files, bookmarks and kept ranges may change while connected; devices and memories may not.
  void setSheet(sheet::Sheet sheet);
  /// Does something with a memory that the sheet does not have: `trial` is the sheet with it. Afterwards the bench is
  /// as before.
  void withTrial(const sheet::Sheet& trial, const std::string& memory, const std::function<void(BenchMemory&)>& act);
  void setFinders(Finders finders) { state_.find = std::move(finders); }
  /// How the same probe is opened again when its link was lost. Without it reconnect() throws LinkLost.
  using Reopen = std::function<std::unique_ptr<probe::Probe>()>;
  void setReopen(Reopen reopen) { reopen_ = std::move(reopen); }
  /// Opens the probe again and checks the chain. What was known of memories is from before, and gone where another one
  /// answers to identify(). Throws NoProbe, LinkLost, ChainMismatch.
  void reconnect();
  /// Somebody else works on the chain from now on: memories are left as they were found, and what was known of them is
  /// from before.
  void doubtAll();

  /// What answers, whether or not it is what the sheet expects. Throws BrokenChain, which says between which of the
  /// sheet's devices the chain is cut.
  jtag::FoundChain examine();
  /// Examines and throws ChainMismatch when it is not the sheet's chain.
  jtag::FoundChain checkChain();
  jtag::PatternCheck checkLink(int rounds);
  /// Waits until power and chain are there, for at most `limit` of the time that is asked to pass; `told` hears the
  /// seconds left. Throws BrokenChain with what is still missing then, and Stopped.
  void waitForTarget(std::chrono::seconds limit, const std::function<void(double left)>& told,
                     const std::stop_token& stop);
  /// After a failure: throws BrokenChain when the target has no power or its chain is gone, which then is the reason.
  void requireAlive();

  /// Looks for the fastest sound clock of the chain and of each memory that answers; see probe::searchClock. The clock
  /// is as before afterwards.
  ClockReport findClock(const std::function<void(const probe::ClockSample&)>& each, const std::stop_token& stop);
  /// The clock for all but memories that have one of their own in the sheet.
  void setClock(std::uint32_t hz);

 private:
  void makeChain();
  jtag::FoundChain lookAtChain();
  void waitForCores(std::chrono::seconds limit, const std::function<void(double left)>& told,
                    const std::stop_token& stop);
  MemoryClock findClockOf(const std::string& memory, const probe::ClockSearch& chain, const std::stop_token& stop);

  Reopen reopen_;
  BenchState state_;
  Devices devices_{state_};
};

/// The sheet's chain as something to compare with.
std::vector<jtag::ExpectedDevice> expectedChain(const sheet::Sheet& sheet);

}  // namespace imprimo::bench
