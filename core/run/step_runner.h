// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>

#include "core/run/runner.h"

namespace imprimo::run {

/// Seconds since the record was begun.
double secondsSince(const Record& record);

/// Carries out `act` as step `i` of a run: the record has it from its beginning, with its time at its end, however it
/// ends; the observer hears of both.
template <typename Act>
void runStep(Record& record, RunObserver& observer, std::size_t i, const plan::Step& step, Act&& act) {
  using Clock = std::chrono::steady_clock;
  RanStep ran;
  ran.step.kind = step.kind;
  ran.step.title = step.title;
  ran.step.why = step.why;
  ran.step.amount = step.amount;
  ran.step.seconds = step.seconds;
  if (!step.extent().empty()) ran.step.ranges = {step.extent()};
  record.steps.push_back(std::move(ran));
  observer.stepStarted(i);
  const auto begin = Clock::now();
  record.steps.back().begun = secondsSince(record);
  const auto stamp = [&] { record.steps.back().seconds = std::chrono::duration<double>(Clock::now() - begin).count(); };
  try {
    act();
  } catch (...) {
    stamp();
    throw;
  }
  stamp();
  record.steps.back().finished = true;
  observer.stepFinished(i, record.steps.back());
}

/// Where and with what, and when it began.
void beginRecord(Record& record, bench::Bench& bench);
/// Hands the record over; that it could not be kept is added to its message.
void keepRecord(Record& record, RecordSink& sink);
/// The same at a run's end, and tells the observer.
RecordPtr finishRecord(Record record, RecordSink& sink, RunObserver& observer);

}  // namespace imprimo::run
