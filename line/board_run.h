// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/bench/bench.h"
#include "core/run/runner.h"
#include "core/units/unit.h"

namespace imprimo::line {

/// What one board's turn came to.
struct BoardResult {
  enum class Kind {
    Good,    ///< all that the sheet has was written and confirmed
    Failed,  ///< the board is not as it should be; the next one may be
    Halted,  ///< no board can be done: no numbers, no store, no probe, a file that is not there
    Stopped  ///< on request
  } kind = Kind::Failed;
  std::string sentence;              ///< for who stands there
  std::vector<std::string> details;  ///< for the engineer
  std::optional<units::Unit> unit;
  bool cameBack = false;  ///< it was a unit already, and kept its numbers
  bool changed = false;   ///< something on it may have been
  double seconds = 0;
  std::string health;  ///< what gets worse at the probe's link; empty for nothing
  std::optional<ErrorKind> error;
};

/// Everything that a sheet has, for one board with a unit of its own: memories, configuration words, restart, locks.
/// What an earlier run left undone is left so, since its board left the line as failed.
class BoardRun {
 public:
  /// `store`: as records::chosenStore() takes it. Throws what opening that store throws.
  BoardRun(const sheet::Sheet& sheet, std::string store) : sheet_(sheet), store_(std::move(store)) {}

  /// Never throws an Error. `given`: values that are typed or scanned.
  BoardResult carryOut(bench::Bench& bench, const std::map<std::string, std::string>& given, run::RunObserver& observer,
                       const std::stop_token& stop);
  /// What could not be given to any board, without one: throws Refused, NoStore, BadFile; Usage for a given value that
  /// does not fit, or is missing.
  void requireNext(const std::map<std::string, std::string>& given) const;
  /// Fields that are given by hand, in the sheet's order.
  std::vector<std::string> givenFields() const;

 private:
  class Turn;
  const sheet::Sheet sheet_;
  std::string store_;
};

}  // namespace imprimo::line
