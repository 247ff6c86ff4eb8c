// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QProcess>
#include <string>

namespace imprimo::test {

/// A PostgreSQL server of Debian's package with a cluster of its own in a temporary folder, reached by a socket there
/// and by nothing else. It does not run as root: as root it is started for the package's user.
class PostgresServer {
 public:
  /// Whether the server's programs are there.
  static bool isInstalled();

  PostgresServer();
  PostgresServer(const PostgresServer&) = delete;
  PostgresServer& operator=(const PostgresServer&) = delete;
  ~PostgresServer();

  /// "postgresql:host=… dbname=…", of a database that is made anew.
  std::string freshStore();
  std::string storeAs(const std::string& user, const std::string& database) const;
  /// Carries out SQL as the administrator.
  void sql(const std::string& database, const std::string& statements);
  void sqlFile(const std::string& database, const QString& file, const QStringList& more = {});
  /// Ends all of it at once, as a loss of power would.
  void kill();
  void start();
  const QString& folder() const { return folder_; }
  QString said() const { return said_; }

 private:
  void run(const QString& program, const QStringList& arguments);
  QStringList asOther(const QString& program, const QStringList& arguments) const;

  QString folder_, said_;
  QProcess process_;
  int databases_ = 0;
};

}  // namespace imprimo::test
