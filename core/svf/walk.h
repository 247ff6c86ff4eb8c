// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/jtag/scan_batch.h"
#include "core/svf/statement.h"

namespace imprimo::svf {

/// Which rest of ours a stable state is.
jtag::Rest restIn(jtag::TapState state);

/// One run of clocks with the same TMS.
struct TmsRun {
  bool tms = false;
  std::uint32_t count = 0;
};

/// How a scan begins in the pause state of its own register: the revision allows both ways to Shift.
enum class FromPause {
  Update,  ///< Exit2, Update, Capture: what was shifted takes effect first
  Shift,   ///< Exit2, Shift: the shift goes on
};

/// Where the TAP stands while statements are gone through, and the ways between. A way to Test-Logic-Reset is five
/// clocks from wherever; STATE IRPAUSE in Pause-IR goes once around, through Update and Capture, as STATE DRPAUSE does.
class Walk {
 public:
  explicit Walk(FromPause fromPause = FromPause::Update) : fromPause_(fromPause) {}
  jtag::TapState tap() const { return tap_; }
  /// Whether a scan would begin in the pause state of its own register.
  bool beginsInPause(Field scan) const;
  /// The way on into Shift where a scan does and FromPause::Shift is chosen; comes before anything else of it.
  std::vector<TmsRun> resume(Field scan);
  void endStates(const Statement& s);  ///< ENDDR, ENDIR
  jtag::TapState endOf(Field scan) const { return scan == Field::Sir ? endIr_ : endDr_; }

  /// How a scan ends on its way to the state that ENDIR or ENDDR set: the pause state of the other register lies behind
  /// Update.
  jtag::Rest untilOf(Field scan) const;
  /// A scan was shifted. Returns the rest of its way, behind untilOf().
  std::vector<TmsRun> scanned(Field scan);
  /// Clocks that a scan takes beside its bits, the rest of its way included.
  std::uint64_t clocksOf(Field scan) const;
  std::vector<TmsRun> moveTo(jtag::TapState state);
  /// The way of a STATE statement; nothing where its first step cannot be taken from here.
  std::optional<std::vector<TmsRun>> path(const Statement& s);
  /// STATE RESET
  static Statement reset();

 private:
  std::vector<TmsRun> follow(const BitVector& tms);
  jtag::TapState tap_ = jtag::TapState::RunTestIdle, endDr_ = jtag::TapState::RunTestIdle,
                 endIr_ = jtag::TapState::RunTestIdle;
  FromPause fromPause_;
};

/// Clocks that a RUNTEST takes at `hz`, and the seconds that are left of it when these are over. Where only a time is
/// given the clock runs all the while: some devices need it to work.
struct RunLength {
  std::uint64_t clocks = 0;
  double rest = 0;
};
RunLength lengthOf(const RunTest& run, double hz);

}  // namespace imprimo::svf
