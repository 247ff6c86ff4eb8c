// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>

#include "core/plan/plan.h"

namespace imprimo::plan {

/// What is true of all steps of a kind. A new kind has a row here, and one where it is carried out
/// (core/run/runner.cpp) or written down (core/vectors/export.cpp).
struct StepTraits {
  StepKind kind;
  const char* name;          ///< in JSON
  bool looks = false;        ///< nothing changes by it, on the board or on this computer: a dry run does it too
  const char* timedAs = "";  ///< what its time counts as in the command line's "seconds"; empty: it is not told
};

/// All of them; those that count as the same follow each other in the order in which times are told.
std::span<const StepTraits> stepKinds();
const StepTraits& traitsOf(StepKind kind);

}  // namespace imprimo::plan
