// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/walk.h"

#include <cmath>

namespace imprimo::svf {

using jtag::Rest;
using jtag::TapState;

namespace {
constexpr std::uint32_t kResetClocks = 5;
}

Rest restIn(TapState state) {
  switch (state) {
    case TapState::PauseDr:
    case TapState::PauseIr:
      return Rest::Pause;
    case TapState::TestLogicReset:
      return Rest::Reset;
    case TapState::ShiftDr:
    case TapState::ShiftIr:
      return Rest::Shift;
    default:
      return Rest::Idle;
  }
}

void Walk::endStates(const Statement& s) {
  (s.kind == Statement::Kind::EndIr ? endIr_ : endDr_) = s.state;
}

Rest Walk::untilOf(Field scan) const {
  const TapState end = endOf(scan);
  const TapState other = scan == Field::Sir ? TapState::PauseDr : TapState::PauseIr;
  return end == other ? Rest::Update : restIn(end);
}

std::vector<TmsRun> Walk::scanned(Field scan) {
  const TapState end = endOf(scan);
  if (untilOf(scan) != Rest::Update) {
    tap_ = end;
    return {};
  }
  tap_ = scan == Field::Sir ? TapState::UpdateIr : TapState::UpdateDr;
  return follow(jtag::tmsPath(tap_, end));
}

bool Walk::beginsInPause(Field scan) const {
  return tap_ == (scan == Field::Sir ? TapState::PauseIr : TapState::PauseDr);
}

std::vector<TmsRun> Walk::resume(Field scan) {
  if (fromPause_ != FromPause::Shift || !beginsInPause(scan)) return {};
  return follow(BitVector::fromWireText("10"));
}

std::uint64_t Walk::clocksOf(Field scan) const {
  const auto into = scan == Field::Sir ? jtag::Register::Instruction : jtag::Register::Data;
  std::uint64_t clocks = jtag::clocksAround(into, restIn(tap_), untilOf(scan));
  for (const TmsRun& run : Walk(*this).scanned(scan)) clocks += run.count;
  return clocks;
}

std::vector<TmsRun> Walk::follow(const BitVector& tms) {
  std::vector<TmsRun> runs;
  for (std::size_t i = 0; i < tms.size(); ++i) {
    if (runs.empty() || runs.back().tms != tms[i]) runs.push_back({tms[i], 0});
    ++runs.back().count;
    tap_ = jtag::next(tap_, tms[i]);
  }
  return runs;
}

std::vector<TmsRun> Walk::moveTo(TapState state) {
  if (state == tap_) return {};
  if (state != TapState::TestLogicReset) return follow(jtag::tmsPath(tap_, state));
  tap_ = state;
  return {{true, kResetClocks}};
}

std::optional<std::vector<TmsRun>> Walk::path(const Statement& s) {
  if (s.path.size() == 1) {
    const TapState to = s.path.front();
    if (to == TapState::TestLogicReset) {
      tap_ = to;
      return std::vector<TmsRun>{{true, kResetClocks}};
    }
    if (to == tap_ && to == TapState::PauseDr) return follow(BitVector::fromWireText("111010"));
    if (to == tap_ && to == TapState::PauseIr) return follow(BitVector::fromWireText("1111010"));
    return moveTo(to);
  }
  BitVector tms;
  TapState at = tap_;
  for (std::size_t i = 0; i < s.path.size(); ++i) {
    const TapState to = s.path[i];
    if (i == 0 && to == at) continue;  // a path may begin where the TAP is
    if (i == 0 && to == TapState::TestLogicReset) {
      // It is reached from anywhere.
      tms.appendFill(true, kResetClocks);
      at = to;
      continue;
    }
    if (jtag::next(at, false) != to && jtag::next(at, true) != to) return std::nullopt;
    tms.append(jtag::next(at, true) == to);
    at = to;
  }
  return follow(tms);
}

Statement Walk::reset() {
  Statement s;
  s.path = {TapState::TestLogicReset};
  return s;
}

RunLength lengthOf(const RunTest& run, double hz) {
  RunLength length;
  const double seconds = run.seconds.value_or(0);
  length.clocks = run.clocks ? *run.clocks : static_cast<std::uint64_t>(std::ceil(seconds * hz - 1e-6));
  length.rest = std::max(0.0, seconds - static_cast<double>(length.clocks) / hz);
  return length;
}

}  // namespace imprimo::svf
