// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/about/about.h"
#include "core/probe/probe_list.h"

namespace imprimo::report {

struct ReportInput {
  std::string program;                 ///< which one asks: "imprimoctl"
  std::vector<LibraryVersion> more{};  ///< of libraries that core/ does not know
  std::string store{};                 ///< as --store names it; empty: the usual one
  probe::SystemRoot system{};
};

/// Versions, system, probes with what keeps them, the library's troubles, the last ten records with what they say, and
/// the last hundred lines of the window: one text, for a person to read before it is sent. No contents of files or
/// memories, no values of units, no keys; see scrubbed(). Opens no probe and changes nothing. What cannot be found out
/// is said in its place, so that nothing is thrown for it.
std::string problemReport(const ReportInput& input);

}  // namespace imprimo::report
