// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>

#include "core/bench/bench.h"
#include "core/run/backup_store.h"
#include "core/run/record.h"
#include "core/run/run_notes.h"

namespace imprimo::run {

/// Watches a run; called on the thread that runs, in order. Steps are counted from 0 in the latest plan; a new plan
/// begins with the steps that already ran.
class RunObserver {
 public:
  virtual ~RunObserver() = default;
  virtual void planned(const plan::PlanPtr&) {}
  virtual void stepStarted(std::size_t) {}
  /// So much of the step's amount is done; `range` of it was read, erased or written just now, where it is about a
  /// memory's bytes, and is empty otherwise.
  virtual void advanced(std::size_t, const AddressRange& /*range*/, const Amount& /*done*/) {}
  /// In a step that waits for the target.
  virtual void waiting(std::size_t, double /*secondsLeft*/) {}
  virtual void stepFinished(std::size_t, const RanStep&) {}
  virtual void finished(const RecordPtr&) {}
};

struct RunSeams {
  BackupStore& backups;
  RecordSink& records;
  NoteStore& notes;
};

/// Carries out what is wanted; the only one that changes anything on a bench, and only in steps of the plan. The plan
/// is made as soon as there is enough to make it of, and made again when contents were read. Never throws an Error:
/// what went wrong is in the record.
RecordPtr carryOut(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
                   std::stop_token stop);

/// Only looks and plans: ends before the first step that would change something, and stores nothing.
RecordPtr dryRun(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
                 std::stop_token stop);

}  // namespace imprimo::run
