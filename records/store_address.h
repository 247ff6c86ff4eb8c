// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

namespace imprimo::records {

/// Where records and numbers are kept.
struct StoreAddress {
  enum Kind { Sqlite, Postgresql } kind = Sqlite;
  std::filesystem::path file;  ///< Sqlite
  std::string connection;      ///< Postgresql: libpq's words, "host=db dbname=imprimo" or "service=line"

  /// "sqlite:/home/…/imprimo.sqlite"; as it may be shown: there is no password in it.
  std::string text() const;
};

/// "sqlite:FILE", or "postgresql:" with libpq's words or the name of a service. Throws Usage for anything else, and for
/// a password: libpq has its own places for that.
StoreAddress parseStoreAddress(const std::string& text);

/// What `given` says, else IMPRIMO_STORE, else what was chosen in the settings, else the user's own SQLite file. Throws
/// Usage, BadFile.
StoreAddress chosenStore(const std::string& given = {});
/// What stands in the settings; empty: nothing.
std::string storeSetting();
/// Throws Usage, CannotWrite.
void setStoreSetting(const std::string& text);

}  // namespace imprimo::records
