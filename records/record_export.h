// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "records/record_store.h"

namespace imprimo::records {

/// Writes what a search finds, page by page, by `write`: one line a record as CSV (RFC 4180), with a line of names
/// first.
void exportCsv(RecordStore& store, const Search& search, const std::function<void(const std::string&)>& write);
/// The records as one JSON array.
void exportJson(RecordStore& store, const Search& search, const std::function<void(const std::string&)>& write);

/// Reads records in: a record, an array of them as exportJson() writes it, or a folder of such files. Returns how many
/// were new. Throws BadFile; then nothing of that file was kept.
std::size_t importRecords(RecordStore& store, const std::filesystem::path& from);

/// A copy of the whole store as one SQLite file, whatever it is kept in. Throws CannotWrite; then there is none.
void backUp(Database& database, const std::filesystem::path& to);
/// Puts what a backup has into a store that has nothing. Throws Refused where it has something, BadFile.
void restore(Database& database, const std::filesystem::path& from);

}  // namespace imprimo::records
