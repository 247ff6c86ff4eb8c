// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <iosfwd>
#include <stop_token>
#include <string>
#include <vector>

#include "core/probe/probe_list.h"

namespace imprimo::ctl {

/// Runs one command line (without the program's name) and returns its exit code. Results go to `out`, words for people
/// to `err`. `system` is where USB is looked for. Never throws for anything a user can cause.
int runCommandLine(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err,
                   std::stop_token stop, const probe::SystemRoot& system = {});

}  // namespace imprimo::ctl
