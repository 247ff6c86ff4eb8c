// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <iosfwd>

#include "core/run/runner.h"

namespace imprimo::ctl {

/// A line of a terminal that is written again and again, where there is a terminal that can do it and is wide enough;
/// otherwise nothing moves.
class LiveLine {
 public:
  /// `terminal` is what takes the codes that move the cursor; `err` shows such codes.
  LiveLine(std::ostream& err, std::ostream& terminal, bool wanted);
  bool moves() const { return moves_; }
  std::ostream& err() const { return *err_; }
  /// Back to the line's begin, with nothing on it.
  void restart() const;

 private:
  std::ostream* err_;
  std::ostream* terminal_;
  bool moves_;
};

/// Tells a terminal what a run does: one line for each step, with a moving figure while it goes on where `live`.
class TerminalObserver : public run::RunObserver {
 public:
  TerminalObserver(LiveLine line, bool verbose) : line_(line), err_(line.err()), verbose_(verbose) {}

  void planned(const plan::PlanPtr& plan) override;
  void stepStarted(std::size_t step) override;
  void advanced(std::size_t step, const AddressRange& range, const Amount& done) override;
  void waiting(std::size_t step, double secondsLeft) override;
  void stepFinished(std::size_t step, const run::RanStep& ran) override;
  void finished(const run::RecordPtr& record) override;

 private:
  std::string head(std::size_t step) const;

  LiveLine line_;
  std::ostream& err_;
  bool verbose_;
  plan::PlanPtr plan_;
  bool open_ = false;
  std::size_t current_ = 0;  // in the plan
  int number_ = 0;           // of the steps that were begun
  std::chrono::steady_clock::time_point shown_{};
};

}  // namespace imprimo::ctl
