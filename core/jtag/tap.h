// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bit_vector.h"

namespace imprimo::jtag {

/// The sixteen states of the TAP controller, IEEE 1149.1-2013 figure 6-1.
enum class TapState {
  TestLogicReset,
  RunTestIdle,
  SelectDrScan,
  CaptureDr,
  ShiftDr,
  Exit1Dr,
  PauseDr,
  Exit2Dr,
  UpdateDr,
  SelectIrScan,
  CaptureIr,
  ShiftIr,
  Exit1Ir,
  PauseIr,
  Exit2Ir,
  UpdateIr,
};
constexpr int kTapStates = 16;

const char* nameOf(TapState state);

/// Where a rising edge of TCK with this TMS leads.
TapState next(TapState from, bool tms);

/// The shortest run of TMS values from one state to another, first one first; empty when they are the same.
BitVector tmsPath(TapState from, TapState to);

}  // namespace imprimo::jtag
