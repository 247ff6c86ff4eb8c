// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "core/base/error.h"
#include "core/run/record.h"

namespace imprimo::ctl {

int exitCodeOf(ErrorKind kind);
int exitCodeOf(const run::Record& record);

/// A run's outcome as the command line gives it.
nlohmann::ordered_json outcomeJson(const run::Record& record);
/// A failure before there was a run.
nlohmann::ordered_json failureJson(int exitCode, const std::string& kind, const std::string& message);

}  // namespace imprimo::ctl
