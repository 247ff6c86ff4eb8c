// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/bench/bench.h"
#include "core/run/runner.h"
#include "core/store/folders.h"
#include "ctl/command.h"

namespace imprimo::ctl {

/// Tells of a run on standard error.
std::unique_ptr<run::RunObserver> terminalObserver(const CommonOptions& options, const Context& context);

/// Carries out one run, or only plans it, and shows how it goes.
run::RecordPtr runOne(const plan::Wanted& wanted, bench::Bench& bench, const RunOptions& options,
                      const Context& context);
/// The same with other places for notes and records.
run::RecordPtr runOne(const plan::Wanted& wanted, bench::Bench& bench, const RunOptions& options,
                      const Context& context, const run::RunSeams& seams);
/// One that goes before what was asked for: its steps are not told, but its record is kept.
run::RecordPtr runAside(const plan::Wanted& wanted, bench::Bench& bench, const Context& context);
/// Throws what a run failed with.
void requireGood(const run::Record& record);

/// Loads what the memory's route needs, unless it is there; that is a run. Throws what it failed with.
void reach(const std::string& memory, bench::Bench& bench, const Context& context);

/// What the options say of an earlier run's unfinished work. Throws Usage.
plan::Wanted::Earlier earlierWork(const RunOptions& options);

/// Tells what came of a run of one device or memory, for people or programs; returns the exit code.
int finish(const run::Record& record, const CommonOptions& options, const Context& context);

/// Tells what came of it, for people.
void tell(const run::Record& record, const CommonOptions& options, const Context& context);

}  // namespace imprimo::ctl
