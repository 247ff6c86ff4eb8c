// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/tap.h"

#include <array>
#include <deque>
#include <utility>

namespace imprimo::jtag {
namespace {

using S = TapState;

struct Row {
  TapState onZero, onOne;
  const char* name;
};

constexpr std::array<Row, kTapStates> kTable{{
    {S::RunTestIdle, S::TestLogicReset, "Test-Logic-Reset"},
    {S::RunTestIdle, S::SelectDrScan, "Run-Test/Idle"},
    {S::CaptureDr, S::SelectIrScan, "Select-DR-Scan"},
    {S::ShiftDr, S::Exit1Dr, "Capture-DR"},
    {S::ShiftDr, S::Exit1Dr, "Shift-DR"},
    {S::PauseDr, S::UpdateDr, "Exit1-DR"},
    {S::PauseDr, S::Exit2Dr, "Pause-DR"},
    {S::ShiftDr, S::UpdateDr, "Exit2-DR"},
    {S::RunTestIdle, S::SelectDrScan, "Update-DR"},
    {S::CaptureIr, S::TestLogicReset, "Select-IR-Scan"},
    {S::ShiftIr, S::Exit1Ir, "Capture-IR"},
    {S::ShiftIr, S::Exit1Ir, "Shift-IR"},
    {S::PauseIr, S::UpdateIr, "Exit1-IR"},
    {S::PauseIr, S::Exit2Ir, "Pause-IR"},
    {S::ShiftIr, S::UpdateIr, "Exit2-IR"},
    {S::RunTestIdle, S::SelectDrScan, "Update-IR"},
}};

}  // namespace

const char* nameOf(TapState state) {
  return kTable[static_cast<std::size_t>(state)].name;
}

TapState next(TapState from, bool tms) {
  const Row& row = kTable[static_cast<std::size_t>(from)];
  return tms ? row.onOne : row.onZero;
}

BitVector tmsPath(TapState from, TapState to) {
  std::array<BitVector, kTapStates> paths;
  std::array<bool, kTapStates> seen{};
  std::deque<TapState> waiting{from};
  seen[static_cast<std::size_t>(from)] = true;
  while (!waiting.empty()) {
    const TapState here = waiting.front();
    waiting.pop_front();
    if (here == to) break;
    for (const bool tms : {false, true}) {
      const TapState there = next(here, tms);
      if (std::exchange(seen[static_cast<std::size_t>(there)], true)) continue;
      paths[static_cast<std::size_t>(there)] = paths[static_cast<std::size_t>(here)];
      paths[static_cast<std::size_t>(there)].append(tms);
      waiting.push_back(there);
    }
  }
  return paths[static_cast<std::size_t>(to)];
}

}  // namespace imprimo::jtag
