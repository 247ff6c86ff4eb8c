// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/pins/probe_pins.h"

#include <algorithm>

namespace imprimo::bench {

std::string ProbePins::pinNamed(const std::string& name) {
  constexpr const char* kTrst[] = {"TRST", "NTRST", "TRST_N", "TRSTN"};
  constexpr const char* kReset[] = {"RESET", "NRESET", "RESET_N", "RESETN", "SRST", "NSRST", "SRST_N", "NRST"};
  if (std::find(std::begin(kTrst), std::end(kTrst), name) != std::end(kTrst)) return "TRST";
  if (std::find(std::begin(kReset), std::end(kReset), name) != std::end(kReset)) return "RESET";
  return {};
}

bool ProbePins::has(const std::string& name) const {
  const auto& pins = probe_.info().pins;
  return std::find(pins.begin(), pins.end(), pinNamed(name)) != pins.end();
}

void ProbePins::drive(const std::string& name, std::optional<bool> level) {
  probe::pinsOf(probe_).drivePin(pinNamed(name), level);
}

bool ProbePins::level(const std::string& name) {
  return probe::pinsOf(probe_).pinLevel(pinNamed(name));
}

const svf::Survey::Need* missing(const svf::Survey& survey, const std::vector<std::string>& pins) {
  const auto need = std::find_if(survey.needs.begin(), survey.needs.end(), [&](const svf::Survey::Need& n) {
    return n.pin.empty() || std::find(pins.begin(), pins.end(), ProbePins::pinNamed(n.pin)) == pins.end();
  });
  return need == survey.needs.end() ? nullptr : &*need;
}

}  // namespace imprimo::bench
