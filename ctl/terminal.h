// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <iosfwd>

#include "core/run/runner.h"

namespace imprimo::ctl {

/// Tells a terminal what a run does: one line for each step, with a moving figure while it goes on where `live`.
class TerminalObserver : public run::RunObserver {
 public:
  TerminalObserver(std::ostream& err, bool live, bool verbose) : err_(err), live_(live), verbose_(verbose) {}

  void planned(const run::Plan& plan) override;
  void stepStarted(std::size_t step) override;
  void advanced(std::size_t step, const AddressRange& range, std::uint64_t done) override;
  void waiting(std::size_t step, double secondsLeft) override;
  void stepFinished(std::size_t step, const run::RanStep& ran) override;
  void finished(const run::Record& record) override;

 private:
  std::string head(std::size_t step) const;

  std::ostream& err_;
  bool live_;
  bool verbose_;
  run::Plan plan_;
  bool open_ = false;  // a step's line is not ended yet
  std::chrono::steady_clock::time_point shown_{};
};

}  // namespace imprimo::ctl
