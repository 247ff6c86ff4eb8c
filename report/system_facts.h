// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

namespace imprimo::report {

using Fact = std::pair<std::string, std::string>;

/// What this computer is, as far as it matters to probes: system, kernel, processors, memory, desktop, language, and
/// whether the rule for probes is there. `root` is where the system's files are.
std::vector<Fact> systemFacts(const std::filesystem::path& root = "/");
/// Which of the variables that the programs look at are set, and to what; never one with a password or token.
std::vector<Fact> environmentFacts();

}  // namespace imprimo::report
