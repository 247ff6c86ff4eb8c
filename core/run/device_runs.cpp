// SPDX-License-Identifier: GPL-3.0-or-later
//
// Runs of one step on devices: letting the target start again, and trying a step of a card.
#include <fmt/format.h>

#include "core/base/stoppable_progress.h"
#include "core/plan/plan_steps.h"
#include "core/run/configure_runner.h"
#include "core/run/step_runner.h"
#include "core/run/step_worker.h"
#include "core/run/verdict.h"

namespace imprimo::run {

RecordPtr restartTarget(bench::Bench& bench, RecordSink& records, RunObserver& observer, const std::stop_token& stop,
                        const std::string& core) {
  Record record;
  beginRecord(record, bench);
  record.device = "target";
  auto plan = std::make_shared<plan::Plan>();
  plan::addCheckStep(*plan, bench.sheet().onlySwd());
  plan::addStep(*plan, plan::StepKind::Restart, core.empty() ? "Restart the board" : "Restart " + core, "as requested")
      .seconds = 0.1;
  plan->complete = true;
  record.plan = plan;
  observer.planned(record.plan);
  try {
    for (std::size_t i = 0; i < plan->steps.size(); ++i) {
      if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped", "Nothing was touched.");
      runStep(record, observer, i, plan->steps[i], [&] {
        if (plan->steps[i].kind == plan::StepKind::CheckChain) {
          bench.checkChain();
        } else if (!core.empty()) {
          bench.devices().restartCore(core);
        } else {
          for (const sheet::CoreEntry& entry : bench.sheet().cores) bench.core(entry.name);
          record.devices = bench.devices().restart();
        }
      });
    }
    record.outcome = Outcome::Done;
    record.message = !record.devices.empty() ? "" : "The target's reset was pulsed.";
    if (bench.sheet().onlySwd() || !core.empty()) record.message = "The system was reset, and its core runs.";
    for (const bench::DeviceReport& device : record.devices) {
      record.message += fmt::format("{}{}: {}.", record.message.empty() ? "" : " ", device.name, device.text);
      if (device.runs == false)
        throw Error(ErrorKind::Refused, fmt::format("{} does not come up: {}", device.name, device.text),
                    "There may be no good design in its flash.");
    }
  } catch (const Error& e) {
    record.fails(e);
    record.outcome = outcomeOf(e.kind(), false);
    record.message = e.full();
  }
  return finishRecord(std::move(record), records, observer);
}

RecordPtr tryCardStep(const CardTrial& trial, bench::Bench& bench, RecordSink& records, std::stop_token stop) {
  const sheet::Device& device = bench.sheet().chain.at(trial.position - 1);
  const configure::Target target{trial.position, device.name, device.description.get()};
  RunObserver nobody;
  Record record;
  beginRecord(record, bench);
  record.device = device.name;
  try {
    jtag::Chain& chain = bench.chain();
    const auto procedure =
        configure::cardProcedure(target, trial.card, trial.restartSteps ? trial.card.restart : trial.card.configure,
                                 trial.data.get(), chain.port().clockHz());
    const configure::Stage& stage = procedure->stages().at(trial.step);
    auto plan = std::make_shared<plan::Plan>();
    plan::Step& step = plan::addStep(*plan, plan::StepKind::Configure, stage.title, "a step of its card is tried");
    step.amount = stage.amount;
    step.seconds = stage.seconds;
    plan->complete = true;
    record.plan = plan;
    record.changed = stage.changes;
    if (stage.changes) bench.doubtAll();
    runStep(record, nobody, 0, step, [&] {
      StoppableProgress watch(stop);
      record.steps.back().note = procedure->carryOut(trial.step, chain, watch).note;
    });
    record.outcome = Outcome::Done;
    record.message = fmt::format("{}: {} is done.", device.name, stage.title);
  } catch (const Error& e) {
    record.fails(e);
    record.outcome = outcomeOf(e.kind(), record.changed);
    record.message = e.full();
  }
  return finishRecord(std::move(record), records, nobody);
}

}  // namespace imprimo::run
