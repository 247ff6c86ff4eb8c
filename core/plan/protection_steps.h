// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/planner.h"

namespace imprimo::plan {

/// The steps around a change of what a part protects.
class ProtectionSteps {
 public:
  ProtectionSteps(Plan& plan, const Wanted& wanted, const Knowledge& known)
      : plan_(plan), wanted_(wanted), known_(known) {}

  /// Appends the step that opens the part for `changes`, where it has to be. Throws Refused when it may not be opened
  /// or no setting does. False when nothing is in the way, or nothing is known of protection.
  bool open(const RangeSet& changes) const;
  /// Appends the step that puts it back.
  void close() const;

 private:
  Plan& plan_;
  const Wanted& wanted_;
  const Knowledge& known_;
};

}  // namespace imprimo::plan
