// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/run/bench.h"
#include "core/run/copy_store.h"
#include "core/run/runner.h"
#include "ctl/commands.h"

namespace imprimo::ctl {

/// Tells of a run on standard error.
std::unique_ptr<run::RunObserver> terminalObserver(const Options& options, const Context& context);

/// Carries out one run and shows how it goes.
run::Record runOne(const run::Wanted& wanted, run::Bench& bench, const Options& options, const Context& context);

/// What the options say of an earlier run's unfinished work. Throws Usage.
run::Wanted::Earlier earlierWork(const Options& options);

/// Tells what came of it, for people.
void tell(const run::Record& record, const Options& options, const Context& context);

}  // namespace imprimo::ctl
