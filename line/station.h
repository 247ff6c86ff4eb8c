// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <map>
#include <mutex>
#include <optional>
#include <stop_token>
#include <string>

#include "core/release/release_file.h"
#include "core/store/open_bench.h"
#include "line/board_run.h"
#include "line/today.h"

namespace imprimo::line {

/// Where one place of a line stands: a probe, and whoever puts boards under it.
enum class Phase {
  AsksField,    ///< a value has to be scanned or typed
  AwaitsBoard,  ///< it begins by itself when one is there
  AwaitsKey,    ///< it begins at a key
  Running,
  AwaitsRemoval,  ///< the board is to be taken out
  Halted,         ///< tried again at a key
  Ended           ///< as many were done as were asked for, or it was stopped
};

/// Hears what happens at a place, on the thread that works there.
class Watcher {
 public:
  virtual ~Watcher() = default;
  /// `sentence`: why it halted, which field is asked for, what was wrong with the value.
  virtual void entered(Phase, const std::string& /*sentence*/) {}
  /// `part` of all steps' time, 0 to 1.
  virtual void advanced(const std::string& /*step*/, double /*part*/) {}
  virtual void finished(const BoardResult&) {}
};

struct Place {
  store::BenchSetup bench;  ///< the probe
  std::string store;        ///< as records::chosenStore() takes it
  std::string name;         ///< of the operator; empty where nobody signs on
};

/// Works at one place: each board that comes, one after another.
class Station {
 public:
  /// `release` and `sheet` (release::sheetOf) outlive it.
  Station(const release::Release& release, const sheet::Sheet& sheet, Place place, Watcher& watcher);

  /// Until so many boards had their turn (nothing: no end but the release's limit), or it is stopped. Returns what the
  /// last one came to, if it came to one.
  std::optional<BoardResult> work(std::optional<std::uint64_t> units, std::stop_token stop);

  // From any thread.
  /// The key: begins where one is waited for, tries again where it halted.
  void press();
  /// A value that was scanned, for the first field that has none.
  void give(const std::string& value);
  /// What goes on now ends at the next safe place, and counts as stopped; the place stays.
  void interrupt();

 private:
  class Claim;
  bool begin();
  BoardResult carryOut();
  BoardResult halted(const Error& why);
  void open();
  bool askFields();
  bool awaitStart();
  bool awaitRemoval();
  bool isThere();
  bool awaitThat(bool there);
  void pause();
  bool awaitKey(Phase phase, const std::string& sentence);
  void book(BoardResult& result);
  std::optional<std::uint64_t> limitLeft() const;
  /// Throws Refused where the release's limit is reached.
  void requireLeft() const;

  const release::Release& release_;
  const sheet::Sheet& sheet_;
  Place place_;
  Watcher& watcher_;
  BoardRun run_;
  DayBook book_;
  std::unique_ptr<bench::Bench> bench_;
  std::map<std::string, std::string> given_;
  std::stop_token stop_;
  std::stop_source turn_;
  std::mutex mutex_;
  std::condition_variable_any told_;
  bool pressed_ = false, lookedForClock_ = false;
  std::optional<std::string> value_;
};

}  // namespace imprimo::line
