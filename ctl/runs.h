// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/bench/bench.h"
#include "core/run/runner.h"
#include "core/store/copy_store.h"
#include "ctl/commands.h"

namespace imprimo::ctl {

/// Tells of a run on standard error.
std::unique_ptr<run::RunObserver> terminalObserver(const Options& options, const Context& context);

/// Carries out one run and shows how it goes.
run::Record runOne(const plan::Wanted& wanted, bench::Bench& bench, const Options& options, const Context& context);

/// What the options say of an earlier run's unfinished work. Throws Usage.
plan::Wanted::Earlier earlierWork(const Options& options);

/// Tells what came of it, for people.
void tell(const run::Record& record, const Options& options, const Context& context);

}  // namespace imprimo::ctl
