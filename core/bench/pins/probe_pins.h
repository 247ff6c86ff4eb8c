// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/probe/probe.h"
#include "core/svf/survey.h"

namespace imprimo::bench {

/// A probe's pins by the names that files have for them: TRST, nTRST, SRST, nRESET and the like.
class ProbePins : public svf::Pins {
 public:
  explicit ProbePins(probe::Probe& probe) : probe_(probe) {}
  bool has(const std::string& name) const override;
  void drive(const std::string& name, std::optional<bool> level) override;
  bool level(const std::string& name) override;

  /// "TRST" or "RESET"; empty for a name that is neither.
  static std::string pinNamed(const std::string& name);

 private:
  probe::Probe& probe_;
};

/// The first thing that a file needs and a probe with these pins does not have; null where there is none.
const svf::Survey::Need* missing(const svf::Survey& survey, const std::vector<std::string>& pins);

}  // namespace imprimo::bench
