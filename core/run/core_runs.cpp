// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/core_runs.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/plan/plan_steps.h"
#include "core/run/step_runner.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

/// Whether what unlocking erases has that region: a flash beside the chip is out of its reach.
bool isInTheChip(const debug::CoreCard& card, const debug::CoreRegion& region) {
  try {
    return region.flash && !card.algorithmOf(region).outside;
  } catch (const Error&) {
    return region.flash;  // it is told where the algorithm is needed
  }
}

/// The first byte of the flash that is not blank.
std::optional<std::uint64_t> firstNotBlank(bench::BenchCore& core, const std::stop_token& stop) {
  constexpr std::uint64_t kPiece = 16384;
  for (const debug::CoreRegion& region : core.card().regions) {
    if (!isInTheChip(core.card(), region)) continue;
    for (std::uint64_t at = region.range.begin; at < region.range.end; at += kPiece) {
      if (stop.stop_requested()) throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(at)));
      Bytes bytes(std::min(kPiece, region.range.end - at));
      core.bus().read(static_cast<std::uint32_t>(at), bytes);
      const auto held = std::find_if(bytes.begin(), bytes.end(), [](std::uint8_t b) { return b != kBlankByte; });
      if (held != bytes.end()) return at + static_cast<std::uint64_t>(held - bytes.begin());
    }
  }
  return std::nullopt;
}

/// What a core is where its unlocking did not come to its end.
std::string stateNow(bench::BenchCore& core) {
  try {
    return core.lookWhetherLocked() ? " It is still locked; what its flash holds is not known."
                                    : " Its memory is open; what its flash holds is not known.";
  } catch (const Error&) {
    return " Whether it is locked now is not known, nor what its flash holds.";
  }
}

}  // namespace

void addChipSteps(plan::Plan& plan, plan::StepKind kind, const std::vector<debug::ChipStep>& steps,
                  const std::string& why) {
  for (const debug::ChipStep& step : steps) {
    plan::Step& added = plan::addStep(plan, kind, step.title(), why);
    added.seconds = step.kind == debug::ChipStep::Kind::Wait ? step.seconds / 4 : 0.01;
  }
}

plan::PlanPtr unlockPlan(const debug::CoreCard& card, const std::string& core) {
  if (card.lock.unlock.empty())
    throw Error(ErrorKind::Refused, fmt::format("how {} is unlocked is not known", core),
                "Its core card has to say it (\"unlock\").");
  auto plan = std::make_shared<plan::Plan>();
  plan::addStep(*plan, plan::StepKind::CheckChain, "Check whether " + core + " is locked",
                "only a locked core is unlocked");
  addChipSteps(*plan, plan::StepKind::Unlock, card.lock.unlock, "it destroys " + card.lock.destroys);
  plan::addStep(*plan, plan::StepKind::Confirm, "Check that it is unlocked and its flash blank",
                "the steps alone do not prove it");
  plan->complete = true;
  return plan;
}

RecordPtr unlockCore(bench::Bench& bench, const std::string& name, RecordSink& records, RunObserver& observer,
                     const std::stop_token& stop) {
  Record record;
  beginRecord(record, bench);
  record.device = name;
  std::optional<std::uint64_t> held;
  bool open = false;
  bench::BenchCore* core = nullptr;
  std::unique_ptr<bench::ResetHold> hold;
  try {
    core = &bench.core(name);
    record.plan = unlockPlan(core->card(), name);
    observer.planned(record.plan);
    const std::vector<debug::ChipStep>& steps = core->card().lock.unlock;
    const plan::Plan& plan = *record.plan;
    for (std::size_t i = 0; i < plan.steps.size() && !open; ++i) {
      runStep(record, observer, i, plan.steps[i], [&] {
        if (plan.steps[i].kind == plan::StepKind::CheckChain) {
          open = !core->lookWhetherLocked();
          hold = core->holdForUnlocking();
          record.steps.back().note = open   ? "it is not"
                                     : hold ? "it is; the reset is held, or its port is silent"
                                            : "it is";
        } else if (plan.steps[i].kind == plan::StepKind::Unlock) {
          if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped");
          record.changed = true;
          bench.doubtAll();
          core->carryOut(steps[i - 1], stop);
        } else {
          hold.reset();
          if (core->lookWhetherLocked())
            throw Error(ErrorKind::NotErased, fmt::format("{} is still locked", name),
                        "Switch its power off and on. If that does not help, the card may be for another chip.");
          held = firstNotBlank(*core, stop);
          record.steps.back().note = held ? "a byte at " + hexAddress(*held) + " is not blank" : "blank";
        }
      });
    }
    record.outcome = Outcome::Done;
    if (open) {
      record.message = fmt::format("{} is not locked; nothing was done.", name);
    } else if (held) {
      record.outcome = Outcome::NotBlank;
      record.message = fmt::format("{} is open, and its flash is not blank: {} holds data.", name, hexAddress(*held));
    } else {
      record.message = fmt::format("{} is open, and its flash is blank.", name);
    }
  } catch (const Error& e) {
    hold.reset();
    record.fails(e);
    record.outcome = outcomeOf(e.kind(), record.changed);
    record.message = e.full();
    if (record.changed) record.message += stateNow(*core);
  }
  return finishRecord(std::move(record), records, observer);
}

}  // namespace imprimo::run
