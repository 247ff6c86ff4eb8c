// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/statement.h"

#include <algorithm>
#include <array>

namespace imprimo::svf {
namespace {

using jtag::TapState;

// In the order of TapState.
constexpr std::array<const char*, jtag::kTapStates> kNames{
    "RESET",    "IDLE",     "DRSELECT",  "DRCAPTURE", "DRSHIFT", "DREXIT1", "DRPAUSE", "DREXIT2",
    "DRUPDATE", "IRSELECT", "IRCAPTURE", "IRSHIFT",   "IREXIT1", "IRPAUSE", "IREXIT2", "IRUPDATE"};

}  // namespace

const char* nameOf(Field field) {
  constexpr std::array<const char*, kFields> kFieldNames{"HIR", "HDR", "TIR", "TDR", "SIR", "SDR"};
  return kFieldNames[static_cast<std::size_t>(field)];
}

std::optional<TapState> stateNamed(const std::string& name) {
  const auto found = std::find(kNames.begin(), kNames.end(), name);
  if (found == kNames.end()) return std::nullopt;
  return static_cast<TapState>(found - kNames.begin());
}

const char* svfName(TapState state) {
  return kNames[static_cast<std::size_t>(state)];
}

bool isStable(TapState state) {
  return state == TapState::TestLogicReset || state == TapState::RunTestIdle || state == TapState::PauseDr ||
         state == TapState::PauseIr;
}

}  // namespace imprimo::svf
