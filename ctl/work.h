// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/planner.h"
#include "ctl/command.h"

namespace imprimo::ctl {

/// What commands can be told that are one run for each memory; each adds those that are its own.
struct WorkOptions : RunOptions {
  std::vector<std::string> places, ranges, fields;
  std::string report, unit;
  std::optional<std::uint32_t> reads;
  bool listed = false, all = false, wholeBlocks = false, skipKept = false, noErase = false, noVerify = false,
       leaveProtection = false, renumber = false, fromAside = false;
};

/// program, verify, erase, blank and trial.
int work(plan::Task task, const WorkOptions& options, const Context& context);

}  // namespace imprimo::ctl
