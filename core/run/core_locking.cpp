// SPDX-License-Identifier: GPL-3.0-or-later
//
// Closing a core's memory, the last that is done to it.
#include <fmt/format.h>

#include "core/plan/plan_steps.h"
#include "core/run/core_runs.h"
#include "core/run/step_runner.h"
#include "core/run/verdict.h"

namespace imprimo::run {

plan::PlanPtr lockPlan(const debug::CoreCard& card, const std::string& core) {
  if (card.lock.lock.empty())
    throw Error(ErrorKind::Refused, fmt::format("how {} is locked is not known", core),
                "Its core card has to say it (\"lock\"), or take \"lock\" out of the sheet.");
  auto plan = std::make_shared<plan::Plan>();
  plan::addStep(*plan, plan::StepKind::CheckChain, "Check whether " + core + " is locked",
                "a locked core is left alone");
  addChipSteps(*plan, plan::StepKind::Lock, card.lock.lock, card.lock.closes + " can no longer be read afterwards");
  plan::addStep(*plan, plan::StepKind::Confirm, "Check that it is locked", "the steps alone do not prove it");
  plan->complete = true;
  return plan;
}

RecordPtr lockCore(bench::Bench& bench, const std::string& name, RecordSink& records, RunObserver& observer,
                   const std::stop_token& stop) {
  Record record;
  beginRecord(record, bench);
  record.device = name;
  bench::BenchCore* core = nullptr;
  try {
    core = &bench.core(name);
    record.plan = lockPlan(core->card(), name);
    observer.planned(record.plan);
    const std::vector<debug::ChipStep>& steps = core->card().lock.lock;
    bool was = false;
    for (std::size_t i = 0; i < record.plan->steps.size() && !was; ++i) {
      const plan::Step& step = record.plan->steps[i];
      runStep(record, observer, i, step, [&] {
        if (step.kind == plan::StepKind::CheckChain) {
          was = core->lookWhetherLocked();
          if (!was) core->requireIdentity();
          record.steps.back().note = was ? "it is" : "it is not";
        } else if (step.kind == plan::StepKind::Lock) {
          if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped");
          record.changed = true;
          bench.doubtAll();
          core->carryOut(steps[i - 1], stop);
        } else if (!core->lookWhetherLocked(true)) {
          throw Error(ErrorKind::NotProgrammed, fmt::format("{} is not locked after all steps of its card", name),
                      "Switch its power off and on and check again. If that does not help, the card may be for "
                      "another chip.");
        }
      });
    }
    record.outcome = Outcome::Done;
    record.message = was ? fmt::format("{} was locked already; nothing was done.", name)
                         : fmt::format("{} is locked: {} can no longer be read.", name, core->card().lock.closes);
    if (!was && core->isSilent())
      record.message += " Its debug port no longer answers, as its card says of a locked one.";
  } catch (const Error& e) {
    record.fails(e);
    record.outcome = outcomeOf(e.kind(), record.changed);
    record.message = e.full();
    if (record.changed) {
      try {
        record.message += core->lookWhetherLocked() ? " It is now locked." : " It is not locked.";
      } catch (const Error&) {
        record.message += " Whether it is locked now is not known.";
      }
    }
  }
  return finishRecord(std::move(record), records, observer);
}

}  // namespace imprimo::run
