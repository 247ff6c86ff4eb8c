// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/database.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <QCoreApplication>
#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <QSqlRecord>
#include <QUuid>
#include <QVariant>
#include <cerrno>
#include <map>

#include "records/database_errors.h"
#include "records/schema.h"

namespace imprimo::records {
namespace {

/// How often a collision is tried again. Each time somebody else got on.
constexpr int kTries = 50;
/// SQLite's own patience, in ms, with those who hold the file without taking turns: other programs.
constexpr const char* kPatience = "QSQLITE_BUSY_TIMEOUT=10000";

/// Qt looks for its drivers by way of the application; a program of the terminal has none.
void requireApplication() {
  if (QCoreApplication::instance() != nullptr) return;
  static int count = 1;
  static char name[] = "imprimo";
  static char* arguments[] = {name, nullptr};
  static QCoreApplication application(count, arguments);
}

}  // namespace

std::uint64_t Cell::number() const {
  if (const auto* number = std::get_if<std::int64_t>(&value_)) return static_cast<std::uint64_t>(*number);
  if (const auto* number = std::get_if<double>(&value_)) return static_cast<std::uint64_t>(*number);
  return 0;
}

double Cell::real() const {
  if (const auto* number = std::get_if<double>(&value_)) return *number;
  return static_cast<double>(static_cast<std::int64_t>(number()));
}

std::string Cell::text() const {
  const auto* text = std::get_if<std::string>(&value_);
  return text != nullptr ? *text : std::string();
}

/// What Qt knows of it.
struct Database::Connection {
  explicit Connection(const StoreAddress& store) : address(store) {}
  QSqlDatabase database() const { return QSqlDatabase::database(name, false); }
  [[noreturn]] void fail(const QSqlError& error) const { throwFor(error, address); }

  Rows rowsOf(QSqlQuery& query) const {
    Rows rows;
    if (!query.isSelect()) return rows;
    const int columns = query.record().count();
    while (query.next()) {
      Row row;
      row.reserve(static_cast<std::size_t>(columns));
      for (int i = 0; i < columns; ++i) row.push_back(cellOf(query.value(i)));
      rows.push_back(std::move(row));
    }
    // A row that could not be fetched ends the list like the last one.
    if (query.lastError().isValid()) fail(query.lastError());
    return rows;
  }

  static Cell cellOf(const QVariant& value) {
    if (value.isNull()) return {};
    switch (value.typeId()) {
      case QMetaType::Double:
      case QMetaType::Float:
        return value.toDouble();
      case QMetaType::Int:
      case QMetaType::UInt:
      case QMetaType::LongLong:
      case QMetaType::ULongLong:
      case QMetaType::Bool:
        return static_cast<std::int64_t>(value.toLongLong());
      default:
        return value.toString().toStdString();
    }
  }

  const StoreAddress& address;
  const QString name = QUuid::createUuid().toString(QUuid::WithoutBraces);
  std::map<std::string, std::unique_ptr<QSqlQuery>> prepared;
};

/// Processes that write to one SQLite file take turns by a lock that wakes the next one; SQLite's own lock is asked for
/// again and again, with ever longer pauses.
class Database::Turn {
 public:
  explicit Turn(int file) : file_(file) {
    while (file_ >= 0 && ::flock(file_, LOCK_EX) != 0 && errno == EINTR) {
    }
  }
  Turn(const Turn&) = delete;
  Turn& operator=(const Turn&) = delete;
  ~Turn() {
    if (file_ >= 0) ::flock(file_, LOCK_UN);
  }

 private:
  int file_;
};

Database::Database(StoreAddress address, int version)
    : address_(std::move(address)), connection_(std::make_unique<Connection>(address_)) {
  requireApplication();
  try {
    open();
    requireSchema(*this, version == 0 ? schemaVersion() : version);
  } catch (...) {
    close();
    throw;
  }
}

Database::~Database() {
  close();
}

void Database::open() {
  const QString driver = isSqlite() ? "QSQLITE" : "QPSQL";
  if (!QSqlDatabase::isDriverAvailable(driver)) {
    throw Error(ErrorKind::NoStore,
                fmt::format("Qt's driver for {} is not installed", isSqlite() ? "SQLite" : "PostgreSQL"),
                isSqlite() ? "Install libqt6sql6-sqlite." : "Install libqt6sql6-psql.");
  }
  QSqlDatabase database = QSqlDatabase::addDatabase(driver, connection_->name);
  if (isSqlite()) {
    std::error_code none;
    if (address_.file.has_parent_path()) std::filesystem::create_directories(address_.file.parent_path(), none);
    database.setDatabaseName(QString::fromStdString(address_.file.string()));
    database.setConnectOptions(kPatience);
  } else {
    database.setConnectOptions(QString::fromStdString(address_.connection + " application_name=imprimo"));
  }
  if (!database.open()) connection_->fail(database.lastError());
  if (isSqlite()) {
    const std::string turn = address_.file.string() + "-turn";
    turnFile_ = ::open(turn.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
    plain("PRAGMA foreign_keys = ON");
    plain("PRAGMA synchronous = FULL");
    const Rows mode = run("PRAGMA journal_mode");
    if (mode.empty() || mode[0][0].text() != "wal") {
      const Turn mine(turnFile_);
      plain("PRAGMA journal_mode = WAL");
    }
  } else {
    plain("SET synchronous_commit = on");
    plain("SET timezone = 'UTC'");
  }
}

void Database::close() {
  connection_->prepared.clear();
  if (turnFile_ >= 0) ::close(std::exchange(turnFile_, -1));
  if (QSqlDatabase::contains(connection_->name)) {
    QSqlDatabase::database(connection_->name, false).close();
    QSqlDatabase::removeDatabase(connection_->name);
  }
}

void Database::reconnect() {
  close();
  open();
}

bool Database::isConnected() const {
  return QSqlDatabase::contains(connection_->name) && QSqlDatabase::database(connection_->name, false).isOpen();
}

void Database::plain(const std::string& sql) {
  QSqlQuery query(connection_->database());
  if (!query.exec(QString::fromStdString(sql))) connection_->fail(query.lastError());
}

Rows Database::run(const std::string& sql, const Row& values) {
  if (!isConnected()) throw ConnectionLost("there is no connection to " + address_.text());
  if (values.empty()) {
    QSqlQuery query(connection_->database());
    if (!query.exec(QString::fromStdString(sql))) connection_->fail(query.lastError());
    changed_ = query.numRowsAffected();
    return connection_->rowsOf(query);
  }
  std::unique_ptr<QSqlQuery>& query = connection_->prepared[sql];
  if (!query) {
    auto made = std::make_unique<QSqlQuery>(connection_->database());
    made->setForwardOnly(true);
    if (!made->prepare(QString::fromStdString(sql))) connection_->fail(made->lastError());
    query = std::move(made);
  }
  const auto bound = [](const auto& value) {
    using Kind = std::decay_t<decltype(value)>;
    if constexpr (std::is_same_v<Kind, std::monostate>)
      return QVariant();
    else if constexpr (std::is_same_v<Kind, std::string>)
      return QVariant(QString::fromStdString(value));
    else if constexpr (std::is_same_v<Kind, double>)
      return QVariant(value);
    else
      return QVariant::fromValue(static_cast<qint64>(value));
  };
  for (std::size_t i = 0; i < values.size(); ++i)
    query->bindValue(static_cast<int>(i), std::visit(bound, values[i].value_));
  if (!query->exec()) {
    const QSqlError error = query->lastError();
    connection_->prepared.erase(sql);
    connection_->fail(error);
  }
  changed_ = query->numRowsAffected();
  Rows rows = connection_->rowsOf(*query);
  query->finish();
  return rows;
}

void Database::transaction(const std::function<void()>& act) {
  for (int attempt = 1;; ++attempt) {
    try {
      const Turn mine(turnFile_);
      plain(isSqlite() ? "BEGIN IMMEDIATE" : "BEGIN");
      try {
        act();
        plain("COMMIT");
      } catch (...) {
        try {
          plain("ROLLBACK");
        } catch (const Error&) {
          // A connection that is lost has rolled back already.
        }
        throw;
      }
      return;
    } catch (const Collision&) {
      if (attempt >= kTries) throw;
    }
  }
}

}  // namespace imprimo::records
