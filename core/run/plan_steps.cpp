// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/plan_steps.h"

namespace imprimo::run {

Step& addStep(Plan& plan, StepKind kind, std::string title, std::string why) {
  Step& step = plan.steps.emplace_back();
  step.kind = kind;
  step.title = std::move(title);
  step.why = std::move(why);
  return step;
}

void addReadStep(Plan& plan, const Knowledge& known, const RangeSet& ranges, const std::string& why) {
  Step& step = addStep(plan, StepKind::Read, "Read what is there", why);
  step.ranges = ranges.ranges();
  step.bytes = ranges.size();
  step.seconds = known.speed.readSeconds(step.bytes);
}

void addSaveStep(Plan& plan, const RangeSet& ranges) {
  Step& step = addStep(plan, StepKind::Save, "Save a copy of what will change", "so that it can be put back");
  step.ranges = ranges.ranges();
  step.bytes = ranges.size();
  step.seconds = 0.02 + static_cast<double>(step.bytes) / 50e6;
}

}  // namespace imprimo::run
