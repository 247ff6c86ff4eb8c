// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <variant>
#include <vector>

#include "core/base/error.h"
#include "records/store_address.h"

namespace imprimo::records {

/// A value that goes into a statement or comes out of one.
class Cell {
 public:
  Cell() = default;
  Cell(int number) : value_(std::int64_t{number}) {}
  Cell(std::int64_t number) : value_(number) {}
  Cell(std::uint64_t number) : value_(static_cast<std::int64_t>(number)) {}
  Cell(double number) : value_(number) {}
  Cell(const char* text) : value_(std::string(text)) {}
  Cell(std::string text) : value_(std::move(text)) {}

  bool isNull() const { return std::holds_alternative<std::monostate>(value_); }
  /// 0 for what is no number.
  std::uint64_t number() const;
  double real() const;
  std::string text() const;

 private:
  friend class Database;
  std::variant<std::monostate, std::int64_t, double, std::string> value_;
};

using Row = std::vector<Cell>;
using Rows = std::vector<Row>;

/// The connection went away in the middle; whether what was being stored is stored is not known.
class ConnectionLost : public Error {
 public:
  explicit ConnectionLost(const std::string& what)
      : Error(ErrorKind::NoStore, what, "Look whether the server runs and can be reached.") {}
};

/// What was tried collided with another station's work and may be tried again.
class Collision : public Error {
 public:
  explicit Collision(const std::string& what) : Error(ErrorKind::NoStore, what) {}
};

/// One connection to a store, SQLite or PostgreSQL, with its tables as this version has them. It belongs to the thread
/// that made it. Every statement is parameterised.
///
/// Errors: NoStore where it cannot be reached, CannotWrite where it cannot be written (read-only, full, no rights),
/// BadFile where it is none, or of a newer version of this program.
class Database {
 public:
  explicit Database(StoreAddress address) : Database(std::move(address), 0) {}
  /// With the tables of an older version; 0: this one. For tests of what brings them on.
  Database(StoreAddress address, int version);
  Database(const Database&) = delete;
  Database& operator=(const Database&) = delete;
  ~Database();

  const StoreAddress& address() const { return address_; }
  bool isSqlite() const { return address_.kind == StoreAddress::Sqlite; }

  /// Carries out a statement with its values, and returns its rows.
  Rows run(const std::string& sql, const Row& values = {});
  /// How many rows the last statement changed.
  int changed() const { return changed_; }
  /// Calls `act` between BEGIN and COMMIT; whatever it throws takes all of it back. A collision is tried again. On
  /// SQLite only one process at a time is in one that writes.
  void transaction(const std::function<void()>& act);
  /// Connects anew behind a loss, with what has to be said of the tables. Throws NoStore.
  void reconnect();
  bool isConnected() const;

 private:
  class Turn;
  struct Connection;
  void open();
  void close();
  void plain(const std::string& sql);

  StoreAddress address_;
  std::unique_ptr<Connection> connection_;
  int changed_ = 0;
  int turnFile_ = -1;
};

}  // namespace imprimo::records
