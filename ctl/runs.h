// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/bench.h"
#include "core/run/copy_store.h"
#include "core/run/record.h"
#include "ctl/commands.h"

namespace imprimo::ctl {

/// Carries out one run and shows how it goes.
run::Record runOne(const run::Wanted& wanted, run::Bench& bench, const Options& options, const Context& context);

/// Tells what came of it, for people.
void tell(const run::Record& record, const Options& options, const Context& context);

}  // namespace imprimo::ctl
