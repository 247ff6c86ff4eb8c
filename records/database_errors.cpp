// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/database_errors.h"

#include <fmt/format.h>

#include "records/database.h"

namespace imprimo::records {
namespace {

/// Result codes of SQLite (sqlite.org/rescode.html), without their extended part.
enum SqliteCode {
  kPerm = 3,
  kBusy = 5,
  kLocked = 6,
  kReadonly = 8,
  kIoerr = 10,
  kCorrupt = 11,
  kFull = 13,
  kCantopen = 14,
  kAuth = 23,
  kNotadb = 26
};

std::string saidBy(const QSqlError& error) {
  std::string text =
      error.databaseText().isEmpty() ? error.driverText().toStdString() : error.databaseText().toStdString();
  for (char& c : text) {
    if (c == '\n') c = ' ';
  }
  while (!text.empty() && text.back() == ' ') text.pop_back();
  return text;
}

[[noreturn]] void throwForSqlite(const QSqlError& error, const std::string& store) {
  const std::string said = saidBy(error);
  constexpr int kExtended = 0xFF;
  switch (error.nativeErrorCode().toInt() & kExtended) {
    case kBusy:
    case kLocked:
      throw Collision(fmt::format("{} is in use by another program: {}", store, said));
    case kReadonly:
    case kPerm:
    case kAuth:
      throw Error(ErrorKind::CannotWrite, fmt::format("{} cannot be written: {}", store, said),
                  "Look at the rights of the file and of its folder.");
    case kFull:
      throw Error(ErrorKind::CannotWrite, fmt::format("{} cannot be written: {}", store, said),
                  "Make room on the disk.");
    case kIoerr:
      throw Error(ErrorKind::CannotWrite, fmt::format("{} cannot be written: {}", store, said), "Look at the disk.");
    case kNotadb:
    case kCorrupt:
      throw Error(ErrorKind::BadFile, fmt::format("{} is no store, or is damaged: {}", store, said),
                  "Restore it from a backup, or name another file.");
    case kCantopen:
      throw Error(ErrorKind::NoStore, fmt::format("{} cannot be opened: {}", store, said),
                  "Look at the rights of the file and of its folder.");
    default:
      throw Error(ErrorKind::NoStore, fmt::format("{}: {}", store, said));
  }
}

/// SQLSTATE (PostgreSQL's documentation, appendix A).
[[noreturn]] void throwForPostgresql(const QSqlError& error, const std::string& store) {
  const std::string state = error.nativeErrorCode().toStdString(), said = saidBy(error);
  if (state == "40001" || state == "40P01" || state == "55P03")
    throw Collision(fmt::format("{}: another station was at it: {}", store, said));
  if (state == "42501" || state == "25006") {
    throw Error(ErrorKind::CannotWrite, fmt::format("{} cannot be written: {}", store, said),
                "Ask for the rights of a station (postgresql-roles.sql).");
  }
  if (state.starts_with("53"))
    throw Error(ErrorKind::CannotWrite, fmt::format("{} cannot be written: {}", store, said),
                "Make room on the server.");
  // Classes 08 and 57P, and what has no state at all, are a server that went or never was there.
  if (state.empty() || state.starts_with("08") || state.starts_with("57P") || state == "00000")
    throw ConnectionLost(fmt::format("{} cannot be reached: {}", store, said));
  throw Error(ErrorKind::NoStore, fmt::format("{}: {}", store, said));
}

}  // namespace

void throwFor(const QSqlError& error, const StoreAddress& address) {
  if (address.kind == StoreAddress::Sqlite) throwForSqlite(error, address.text());
  throwForPostgresql(error, address.text());
}

}  // namespace imprimo::records
