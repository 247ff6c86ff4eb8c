// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/terminal.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/number.h"

namespace imprimo::ctl {

void TerminalObserver::planned(const run::Plan& plan) {
  plan_ = plan;
  if (!verbose_) return;
  for (const run::BlockPlan& block : plan.blocks) {
    if (!block.why.empty()) err_ << "    " << block.why << "\n";
  }
}

std::string TerminalObserver::head(std::size_t step) const {
  return fmt::format("{:2}  {:<44}", step + 1, plan_.steps[step].title);
}

void TerminalObserver::stepStarted(std::size_t step) {
  open_ = true;
  if (live_) err_ << head(step) << std::flush;
}

void TerminalObserver::advanced(std::size_t step, const AddressRange&, std::uint64_t done) {
  const auto now = std::chrono::steady_clock::now();
  if (!live_ || now - shown_ < std::chrono::milliseconds(100)) return;
  shown_ = now;
  err_ << "\r" << head(step)
       << fmt::format("{} of {}   ", plan_.steps[step].amountText(done),
                      plan_.steps[step].amountText(plan_.steps[step].amount()))
       << std::flush;
}

void TerminalObserver::waiting(std::size_t step, double secondsLeft) {
  const auto now = std::chrono::steady_clock::now();
  if (!live_ || now - shown_ < std::chrono::milliseconds(100)) return;
  shown_ = now;
  err_ << "\r" << head(step) << fmt::format("{:.0f} s left   ", secondsLeft) << std::flush;
}

void TerminalObserver::stepFinished(std::size_t step, const run::RanStep& ran) {
  open_ = false;
  const std::string size = ran.step.amount() > 0 ? ran.step.amountText(ran.step.amount()) : "";
  err_ << (live_ ? "\r\033[K" : "") << head(step) << fmt::format("{:>10}  {:>8}", size, durationText(ran.seconds))
       << (ran.note.empty() ? "" : "  " + ran.note) << "\n";
}

void TerminalObserver::finished(const run::Record& record) {
  if (open_) {
    const std::size_t step = record.steps.size() - 1;
    err_ << (live_ ? "\r\033[K" : "") << head(step) << "  did not finish\n";
    open_ = false;
  }
}

}  // namespace imprimo::ctl
