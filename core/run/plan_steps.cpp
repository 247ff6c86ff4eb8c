// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/plan_steps.h"

namespace imprimo::run {

void addReadStep(Plan& plan, const Knowledge& known, const RangeSet& ranges, const std::string& why) {
  Step& step = plan.steps.emplace_back();
  step.kind = StepKind::Read;
  step.title = "Read what is there";
  step.why = why;
  step.ranges = ranges.ranges();
  step.bytes = ranges.size();
  step.seconds = known.speed.readSeconds(step.bytes);
}

void addSaveStep(Plan& plan, const RangeSet& ranges) {
  Step& step = plan.steps.emplace_back();
  step.kind = StepKind::Save;
  step.title = "Save a copy of what will change";
  step.why = "so that it can be put back";
  step.ranges = ranges.ranges();
  step.bytes = ranges.size();
  step.seconds = 0.02 + static_cast<double>(step.bytes) / 50e6;
}

}  // namespace imprimo::run
