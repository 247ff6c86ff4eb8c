// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "core/bench/cores/core_port.h"
#include "core/bench/finders.h"
#include "core/debug/algorithm_run.h"
#include "core/debug/core_card.h"
#include "core/debug/core_watch.h"
#include "core/sheet/sheet.h"

namespace imprimo::bench {

/// What a core says of itself, without being halted for it.
struct CoreReport {
  std::string name;
  std::uint32_t dpidr = 0, cpuid = 0;
  debug::CoreState state = debug::CoreState::Running;
  std::optional<std::uint32_t> pc, sp;      ///< where they are known
  bool isTheCards = true;                   ///< its identity words are those of the card
  bool locked = false;                      ///< its memory is closed; nothing but the debug port is known then
  bool silent = false;                      ///< locked, and its debug port answers only while the reset is held
  bool notStarted = false;                  ///< another core starts it, and has not
  std::optional<debug::CoreFault> fault{};  ///< that it is in
  std::vector<std::string> messages{};      ///< of the pack's sequences, for the user
};

/// How long a reset is pulsed.
inline constexpr std::chrono::milliseconds kResetPulse{50};

/// The target's reset held low by its pin for as long as this lives.
class ResetHold {
 public:
  /// Throws Refused where the probe has no such pin.
  explicit ResetHold(probe::Probe& probe);
  ~ResetHold();
  ResetHold(const ResetHold&) = delete;
  ResetHold& operator=(const ResetHold&) = delete;

 private:
  probe::Probe& probe_;
};

class ChipSequences;

/// One core of the sheet, reached by its debug port. When this goes, the core is left as it was found; one whose memory
/// was changed and that was not restarted is left halted at its first instruction. More than twenty functions, since
/// port, lock, core and algorithm are one state: what is done to one of them decides what may be done to the others.
class BenchCore {
 public:
  /// Reads its card. Throws BadFile.
  BenchCore(const sheet::Sheet& sheet, const sheet::CoreEntry& entry, probe::Probe& probe,
            std::shared_ptr<CorePort> port);
  ~BenchCore();

  const debug::CoreCard& card() const { return card_; }
  const std::string& name() const { return entry_.name; }
  const sheet::CoreEntry& entry() const { return entry_; }
  /// Brings the port up, unless it still is. Throws BrokenChain where nothing answers, Refused for a wrong access port.
  void connect();
  /// From now on it is only attached to, whatever the sheet says; where it does not answer so and the sheet has it
  /// connected under reset, it is reset for it.
  void onlyAttach() { onlyAttach_ = true; }
  bool wasResetToAttach() const { return resetToAttach_; }
  /// Serial ports of this computer, for what is listened to.
  void setSerial(OpenSerial open) { serial_ = std::move(open); }
  const OpenSerial& serial() const { return serial_; }
  /// For a core that another one starts: what makes it do so.
  void startBy(std::function<void()> start) { startIt_ = std::move(start); }
  /// Whether it is connected to, as the port is now.
  bool isAttached() const { return attachedIn_ != 0 && attachedIn_ == port_.connections() && port_.isConnected(); }
  probe::Probe& probe() { return probe_; }
  debug::DebugPort& port() { return port_; }
  const std::shared_ptr<CorePort>& way() const { return way_; }
  debug::MemAp& bus() { return bus_; }
  /// By the clock at the far end, and time that passes there.
  std::chrono::nanoseconds now() const { return wires_->now(); }
  void pass(std::chrono::microseconds time) { wires_->pass(time); }
  debug::Core& core() { return core_; }

  /// Whether its memory is closed to debuggers, as it was when it was connected to: its bus is switched off, or the
  /// card's conditions hold.
  bool isLocked() const { return locked_; }
  /// Locked, and its debug port answers only while the reset is held.
  bool isSilent() const { return locked_ && silent_; }
  /// Throws Refused for one that is, with what unlocking would take.
  void requireOpen() const;
  /// Looks once more, also after a reset or a loss of power. `mayBeSilent`: steps that lock it were carried out, and a
  /// port that no longer answers is what the card says of a locked one. Throws BrokenChain, LinkLost.
  bool lookWhetherLocked(bool mayBeSilent = false);
  /// Holds the reset for as long as what is returned lives, where a locked core's port answers only then; null
  /// otherwise.
  std::unique_ptr<ResetHold> holdForUnlocking();
  /// Carries out one step of the card's unlocking. Throws NotErased where what is waited for does not come, Stopped,
  /// and as the accesses do.
  void carryOut(const debug::ChipStep& step, const std::stop_token& stop);

  /// The card's identity words against what is there. Throws ChainMismatch with both.
  void requireIdentity();
  bool identityMatches();
  /// `halt`: for a moment, so that its registers can be read. Throws LinkLost, BrokenChain.
  CoreReport lookAt(bool halt = false);
  /// What the pack's sequences told the user so far.
  std::vector<std::string> messages() const;
  /// Samples it for a while without halting it, but for a moment where it is in a fault and the sheet lets it be
  /// halted. Throws LinkLost, Stopped.
  debug::CoreWatch watch(const std::stop_token& stop, std::chrono::milliseconds time = std::chrono::seconds(1));
  /// Throws Refused for one that is only attached to: what follows needs it halted.
  void requireMayHalt() const;
  /// Halts the core and makes `algorithm` ready in that RAM, which stays as long as it is asked for.
  debug::AlgorithmRun& running(const std::shared_ptr<const debug::FlashAlgorithm>& algorithm, const AddressRange& ram);
  /// Sums of `count` blocks as long as `first`, one behind another: see debug::sumsByCore. Throws Refused, LinkLost.
  std::vector<std::uint64_t> sums(const AddressRange& first, std::size_t count);
  /// UnInit of what runs, if anything does.
  void endAlgorithm();
  /// The same, and where nothing was changed the core goes on as it was found.
  void letGo();
  /// Flash or RAM is not as it was.
  void noteChanged() { changed_ = true; }
  /// Lets it run with debug off; the core that starts it is restarted next.
  void leaveToItsStarter();
  /// Resets the system and lets it run, from somewhere else where that is given.
  void restart(const std::optional<debug::CoreStart>& from = {});

 private:
  bool identityMatches(std::string& difference);
  void attach(bool anew);
  bool answersOnlyUnderReset() const;
  bool isAwake();
  void start();
  void prepareFlash();
  void connectUnderReset();
  bool holds(const debug::DebugWord& word);
  void awaitPowerCycle(double seconds, const std::stop_token& stop);

  const sheet::CoreEntry entry_;
  debug::CoreCard card_;
  probe::Probe& probe_;
  OpenSerial serial_;
  std::shared_ptr<CorePort> way_;
  debug::PortWires* wires_;
  debug::DebugPort& port_;
  debug::MemAp bus_;
  debug::Core core_;
  std::unique_ptr<ChipSequences> sequences_;  // of a chip whose pack has some
  std::shared_ptr<const debug::FlashAlgorithm> algorithm_;
  std::unique_ptr<debug::AlgorithmRun> running_;
  std::function<void()> startIt_;
  std::uint64_t attachedIn_ = 0;  // which connection of the port that was
  bool changed_ = false, onlyAttach_ = false, resetToAttach_ = false, locked_ = false, notStarted_ = false;
  bool flashPrepared_ = false;
  bool silent_ = false;  // locked, and the port answers only while the reset is held
};

/// The card that a core of the sheet names, or what its pack says of the chip. Throws BadFile, and Usage for a chip
/// that is not in the pack.
debug::CoreCard cardOf(const sheet::Sheet& sheet, const sheet::CoreEntry& core);

}  // namespace imprimo::bench
