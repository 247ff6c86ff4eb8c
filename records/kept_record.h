// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/run/record.h"

namespace imprimo::records {

/// A record as a store keeps it: what it is found by, and its text (docs/formats/record.md).
struct KeptRecord {
  std::string id;       ///< a UUID: the same record is never kept twice
  std::string started;  ///< UTC, ISO 8601
  int zone = 0;         ///< minutes east of UTC where it was made
  double seconds = 0;
  std::string station, person, sheet, title;
  std::string target;  ///< the memory, device or core
  std::string ledger;
  std::uint64_t unit = 0;  ///< 0: none
  std::string result;      ///< as nameOf(Outcome) has it
  bool good = false;
  std::string step;  ///< the title of the step that failed; empty: none
  std::uint64_t bytes = 0;
  std::string message;
  std::vector<std::string> values;  ///< a unit's, by which it is looked for
  std::string text;                 ///< empty in lists
};

/// A record of this moment, on this station, by this person, with a new id.
KeptRecord keptNow(const run::Record& record);
/// A record's text of before, as it was kept; `name` is its file's, for messages. One that has no id gets one by its
/// content, so that reading it in again adds nothing. Throws BadFile.
KeptRecord keptFrom(const std::string& text, const std::string& name);

/// Who is at this computer.
std::string personName();
/// Whether a result is what was asked for.
bool isGood(const std::string& result);

}  // namespace imprimo::records
