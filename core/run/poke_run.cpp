// SPDX-License-Identifier: GPL-3.0-or-later
//
// A word of a core's bus that is written by hand.
#include <fmt/format.h>

#include "core/base/number.h"
#include "core/debug/bus_words.h"
#include "core/plan/plan_steps.h"
#include "core/run/step_runner.h"
#include "core/run/verdict.h"
#include "core/run/word_runs.h"

namespace imprimo::run {
namespace {

std::string hexOf(std::uint32_t value, std::uint32_t bytes) {
  return fmt::format("0x{:0{}X}", value, 2 * bytes);
}

std::uint32_t valueAt(bench::BenchCore& core, const Poke& poke) {
  Bytes bytes(poke.width);
  core.bus().readEach(poke.at, bytes, poke.width);
  return debug::wordOf(bytes);
}

void requireSound(const Poke& poke) {
  if (poke.at % poke.width != 0)
    throw Error(ErrorKind::Usage, fmt::format("{} is not a multiple of {}", hexAddress(poke.at), poke.width),
                "Give an aligned address or a narrower access.");
  if (poke.width < 4 && poke.value >> (8 * poke.width) != 0)
    throw Error(ErrorKind::Usage, fmt::format("0x{:X} does not fit into {} bits", poke.value, 8 * poke.width),
                "Give a smaller value or a wider access.");
}

}  // namespace

RecordPtr pokeWord(const Poke& poke, bench::Bench& bench, RecordSink& records, RunObserver& observer,
                   const std::stop_token& stop) {
  Record record;
  beginRecord(record, bench);
  record.device = poke.core;
  try {
    requireSound(poke);
    auto plan = std::make_shared<plan::Plan>();
    plan::addStep(*plan, plan::StepKind::Read, "Read " + hexAddress(poke.at),
                  "the previous value is kept in the record");
    plan::addStep(*plan, plan::StepKind::SetWord,
                  fmt::format("Write {} to {}", hexOf(poke.value, poke.width), hexAddress(poke.at)),
                  "manual write: its effect is not checked");
    plan::addStep(*plan, plan::StepKind::Look, "Read it back", "a register may not hold what was written");
    plan->complete = true;
    record.plan = plan;
    observer.planned(record.plan);
    bench::BenchCore& core = bench.core(poke.core);
    core.requireIdentity();
    std::uint32_t before = 0, after = 0;
    const auto step = [&](std::size_t i, auto&& act) {
      if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped");
      runStep(record, observer, i, plan->steps[i], act);
    };
    step(0, [&] {
      before = valueAt(core, poke);
      record.steps.back().note = hexOf(before, poke.width);
      record.words.push_back({hexAddress(poke.at), hexOf(before, poke.width), hexOf(poke.value, poke.width), {}});
    });
    step(1, [&] {
      record.changed = true;
      bench.doubtAll();
      core.bus().writeEach(poke.at, debug::bytesOfWord(poke.value, poke.width), poke.width);
    });
    step(2, [&] {
      after = valueAt(core, poke);
      record.steps.back().note = hexOf(after, poke.width);
      record.words.back().after = hexOf(after, poke.width);
    });
    record.outcome = Outcome::Done;
    record.message = fmt::format("{} held {}; {} was written manually, and it now reads {}.", hexAddress(poke.at),
                                 hexOf(before, poke.width), hexOf(poke.value, poke.width), hexOf(after, poke.width));
  } catch (const Error& e) {
    record.fails(e);
    record.outcome = outcomeOf(e.kind(), record.changed);
    record.message = e.full();
    if (record.changed) record.message += " Whether it was written is not known.";
  }
  return finishRecord(std::move(record), records, observer);
}

}  // namespace imprimo::run
