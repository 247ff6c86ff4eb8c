// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/terminal.h"

#include <fmt/format.h>

#include <sys/ioctl.h>
#include <unistd.h>

#include <cstdlib>
#include <ostream>
#include <string_view>

#include "core/base/number.h"

namespace imprimo::ctl {
namespace {

/// A narrower one would wrap the line, and going back to its begin would not be enough.
constexpr unsigned kNarrowest = 72;

bool terminalMoves() {
  if (::isatty(STDERR_FILENO) != 1) return false;
  const char* kind = std::getenv("TERM");
  if (kind == nullptr || std::string_view(kind).empty() || std::string_view(kind) == "dumb") return false;
  winsize size{};
  return ::ioctl(STDERR_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_col == 0 || size.ws_col >= kNarrowest;
}

}  // namespace

LiveLine::LiveLine(std::ostream& err, std::ostream& terminal, bool wanted)
    : err_(&err), terminal_(&terminal), moves_(wanted && terminalMoves()) {}

void LiveLine::restart() const {
  if (!moves_) return;
  err_->flush();
  *terminal_ << "\r\033[K" << std::flush;
}

void TerminalObserver::planned(const plan::PlanPtr& plan) {
  plan_ = plan;
  if (!verbose_) return;
  for (const plan::BlockPlan& block : plan->blocks) {
    if (!block.why.empty()) err_ << "    " << block.why << "\n";
  }
}

std::string TerminalObserver::head(std::size_t step) const {
  return fmt::format("{:2}  {:<44}", number_, plan_->steps[step].title);
}

void TerminalObserver::stepStarted(std::size_t step) {
  open_ = true;
  current_ = step;
  ++number_;  // a dry run passes over steps, which leaves no gap
  if (line_.moves()) err_ << head(step) << std::flush;
}

void TerminalObserver::advanced(std::size_t step, const AddressRange&, const Amount& done) {
  const auto now = std::chrono::steady_clock::now();
  if (!line_.moves() || now - shown_ < std::chrono::milliseconds(100)) return;
  shown_ = now;
  line_.restart();
  err_ << head(step) << fmt::format("{} of {}   ", done.text(), plan_->steps[step].amount.text()) << std::flush;
}

void TerminalObserver::waiting(std::size_t step, double secondsLeft) {
  const auto now = std::chrono::steady_clock::now();
  if (!line_.moves() || now - shown_ < std::chrono::milliseconds(100)) return;
  shown_ = now;
  line_.restart();
  err_ << head(step) << fmt::format("{:.0f} s left   ", secondsLeft) << std::flush;
}

void TerminalObserver::stepFinished(std::size_t step, const run::RanStep& ran) {
  open_ = false;
  const std::string size = ran.step.amount.empty() ? "" : ran.step.amount.text();
  line_.restart();
  err_ << head(step) << fmt::format("{:>10}  {:>8}", size, durationText(ran.seconds))
       << (ran.note.empty() ? "" : "  " + ran.note) << "\n";
}

void TerminalObserver::finished(const run::RecordPtr&) {
  if (open_) {
    line_.restart();
    err_ << head(current_) << "  did not finish\n";
    open_ = false;
  }
}

}  // namespace imprimo::ctl
