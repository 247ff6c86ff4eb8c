// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan_steps.h"

#include <fmt/format.h>

#include "core/base/number.h"

namespace imprimo::plan {

Step& addStep(Plan& plan, StepKind kind, std::string title, std::string why) {
  Step& step = plan.steps.emplace_back();
  step.kind = kind;
  step.title = std::move(title);
  step.why = std::move(why);
  return step;
}

void addAwaitStep(Plan& plan, std::uint32_t seconds) {
  addStep(plan, StepKind::AwaitTarget, fmt::format("Wait for the target, up to {} s", seconds),
          "power may come late, or from another board");
}

void addHearStep(Plan& plan, const std::string& core, const sheet::CoreSpeech& wanted) {
  addStep(plan, StepKind::Hear, fmt::format("Wait until {} says \"{}\"", core, wanted.waitFor),
          fmt::format("at most {}; the sheet says so", durationText(wanted.seconds)))
      .seconds = std::min(wanted.seconds, 1.0);
}

void addCheckStep(Plan& plan, bool core) {
  addStep(plan, StepKind::CheckChain, core ? "Look for the debug port" : "Check the chain against the sheet",
          core ? "the core answers, and has power" : "nothing is sent to parts that are not the sheet's")
      .seconds = 0.01;
}

void addReadStep(Plan& plan, const Knowledge& known, const RangeSet& ranges, const std::string& why) {
  Step& step = addStep(plan, StepKind::Read, "Read what is there", why);
  step.ranges = ranges.ranges();
  step.amount.count = ranges.size();
  step.seconds = known.speed.readSeconds(step.amount.count);
}

namespace {

/// Reading `ranges` until each of them was read twice.
double secondReads(const Knowledge& known, const RangeSet& ranges) {
  std::uint64_t bytes = 0;
  for (const AddressRange& r : ranges.ranges()) bytes += known.fresh.contains(r) ? r.size() : 2 * r.size();
  return known.speed.readSeconds(bytes);
}

}  // namespace

void addSaveStep(Plan& plan, const Knowledge& known, const RangeSet& ranges) {
  Step& step = addStep(plan, StepKind::Save, "Save a copy of what will change",
                       "read twice and compared, so that it can be put back");
  step.ranges = ranges.ranges();
  step.amount.count = ranges.size();
  step.seconds = 0.02 + static_cast<double>(step.amount.count) / 50e6 + secondReads(known, ranges);
}

void addSecondReadStep(Plan& plan, const Knowledge& known, const RangeSet& ranges) {
  Step& step = addStep(plan, StepKind::Compare, "Read again what will change",
                       "all of it is blank, and one read alone does not decide that");
  step.ranges = ranges.ranges();
  step.amount.count = ranges.size();
  step.seconds = secondReads(known, ranges);
}

}  // namespace imprimo::plan
