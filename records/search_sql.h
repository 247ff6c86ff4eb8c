// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/record_store.h"

namespace imprimo::records {

/// A condition as SQL, with the values of its places.
struct Condition {
  std::string sql = "1 = 1";
  Row values;
  void add(const std::string& more, const Cell& value);
  void add(const std::string& more) { sql += " AND " + more; }
};

/// Title, station and result of a search.
Condition ofWords(const Search& search);
/// The same and its days, for the table of counts.
Condition ofDays(const Search& search);

/// The day behind this one: "2026-12-01". Throws Usage for what is no day.
std::string dayAfter(const std::string& day);

}  // namespace imprimo::records
