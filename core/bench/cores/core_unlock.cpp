// SPDX-License-Identifier: GPL-3.0-or-later
//
// Whether a core's memory is closed, and the steps that open it.
#include <fmt/format.h>

#include "core/bench/cores/cores.h"
#include "core/debug/deadline.h"

namespace imprimo::bench {

using std::chrono::duration_cast;
using std::chrono::microseconds;
using std::chrono::milliseconds;

bool BenchCore::holds(const debug::DebugWord& word) {
  try {
    const std::uint32_t found =
        word.onBus ? bus_.readWord(word.at) : port_.readAp({word.accessPort}, static_cast<std::uint8_t>(word.at));
    return (found & word.mask) == word.value;
  } catch (const debug::BusFault&) {
    return false;
  }
}

void BenchCore::requireOpen() const {
  if (notStarted_)
    throw Error(ErrorKind::Refused,
                fmt::format("{} was not started: {} starts it", entry_.name, entry_.startedBy->core),
                "Give it \"connect\": \"normal\" in the sheet so that it is started.");
  if (!locked_) return;
  const debug::CoreLock& lock = card_.lock;
  Error error(
      ErrorKind::Refused,
      silent_ ? fmt::format("{} is locked: its debug port answers only while the board's reset is held", entry_.name)
              : fmt::format("{} is locked: its debug port answers (DPIDR 0x{:08x}), and its memory is closed",
                            entry_.name, port_.dpidr()),
      lock.unlock.empty() ? "How it is opened has to be in its core card (\"unlock\")."
                          : fmt::format("Unlocking it destroys {}.", lock.destroys));
  if (!lock.unlock.empty()) error.setHelp(Help::Unlock, entry_.name);
  throw error;
}

bool BenchCore::answersOnlyUnderReset() const {
  return card_.lock.silent && entry_.connect == sheet::CoreEntry::Connect::UnderReset;
}

bool BenchCore::lookWhetherLocked(bool mayBeSilent) {
  if (!locked_) letGo();
  core_.forgetFound();
  bus_.forget();
  running_.reset();
  try {
    attach(true);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::BrokenChain || !card_.lock.silent) throw;
    if (answersOnlyUnderReset()) {
      const ResetHold hold(probe_);
      attach(true);
      if (!locked_) throw;  // silent for another reason
    } else if (!mayBeSilent) {
      throw;
    }
    locked_ = silent_ = true;
  }
  return locked_;
}

std::unique_ptr<ResetHold> BenchCore::holdForUnlocking() {
  if (!locked_ || !silent_ || !answersOnlyUnderReset()) return nullptr;
  auto hold = std::make_unique<ResetHold>(probe_);
  attach(true);
  return hold;
}

void BenchCore::carryOut(const debug::ChipStep& step, const std::stop_token& stop) {
  using Kind = debug::ChipStep::Kind;
  const debug::DebugWord& word = step.word;
  switch (step.kind) {
    case Kind::Write:
      if (word.onBus) {
        bus_.writeWord(word.at, word.value);
      } else {
        port_.writeAp({word.accessPort}, static_cast<std::uint8_t>(word.at), word.value);
      }
      return;
    case Kind::Wait: {
      debug::Deadline deadline(*wires_, duration_cast<microseconds>(std::chrono::duration<double>(step.seconds)));
      while (!holds(word)) {
        if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped while waiting");
        if (deadline.passed())
          throw Error(ErrorKind::NotErased,
                      fmt::format("{}: {} does not become 0x{:08x} within {} s", entry_.name, word.place(), word.value,
                                  step.seconds),
                      "Try again. If that does not help, the card may be for another chip.");
        deadline.rest();
      }
      return;
    }
    case Kind::Reset:
      return probe::resetOf(probe_).pulseReset(kResetPulse);
    case Kind::PowerCycle:
      awaitPowerCycle(step.seconds, stop);
  }
}

/// The port forgets that it was asked for power, or does not answer for a while.
void BenchCore::awaitPowerCycle(double seconds, const std::stop_token& stop) {
  debug::Deadline deadline(*wires_, duration_cast<microseconds>(std::chrono::duration<double>(seconds)));
  bool gone = false;
  while (true) {
    if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped while waiting");
    try {
      if (gone) {
        attach(true);
        return;
      }
      gone = !port_.stillPowered();
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::BrokenChain) throw;
      gone = true;
    }
    if (deadline.passed())
      throw Error(ErrorKind::NotErased,
                  fmt::format("{}: the board's power was not switched off and on within {} s", entry_.name, seconds),
                  "Try again, and switch the board's power off and on when asked.");
    wires_->pass(milliseconds(5));
  }
}

}  // namespace imprimo::bench
