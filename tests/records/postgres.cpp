// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/records/postgres.h"

#include <pwd.h>
#include <signal.h>
#include <sys/stat.h>
#include <unistd.h>

#include <QDir>
#include <QFile>
#include <QThread>
#include <stdexcept>

namespace imprimo::test {
namespace {

/// The newest version that is installed.
QString binFolder() {
  const QStringList versions = QDir("/usr/lib/postgresql").entryList(QDir::Dirs | QDir::NoDotAndDotDot, QDir::Name);
  for (auto version = versions.rbegin(); version != versions.rend(); ++version) {
    const QString bin = "/usr/lib/postgresql/" + *version + "/bin";
    if (QFile::exists(bin + "/initdb")) return bin;
  }
  return {};
}

const char* otherUser() {
  return ::getpwnam("postgres") != nullptr ? "postgres" : "nobody";
}

}  // namespace

bool PostgresServer::isInstalled() {
  // Where everything is checked it has to be there: without it these tests fail instead of being left out.
  return !binFolder().isEmpty() || qEnvironmentVariableIsSet("CI");
}

PostgresServer::PostgresServer() {
  char name[] = "/tmp/imprimo-pg-XXXXXX";
  if (::mkdtemp(name) == nullptr) throw std::runtime_error("no temporary folder");
  folder_ = name;
  if (::getuid() == 0) {
    const passwd* user = ::getpwnam(otherUser());
    if (user == nullptr || ::chown(name, user->pw_uid, user->pw_gid) != 0)
      throw std::runtime_error("no user for the server");
  }
  run(binFolder() + "/initdb", {"-D", folder_ + "/cluster", "-U", "admin", "--auth=trust", "--locale=C", "-E", "UTF8"});
  process_.setProcessChannelMode(QProcess::MergedChannels);
  start();
}

PostgresServer::~PostgresServer() {
  if (process_.state() != QProcess::NotRunning) {
    ::kill(static_cast<pid_t>(process_.processId()), SIGINT);  // fast shutdown
    if (!process_.waitForFinished(20000)) process_.kill();
    process_.waitForFinished(5000);
  }
  QDir(folder_).removeRecursively();
}

QStringList PostgresServer::asOther(const QString& program, const QStringList& arguments) const {
  if (::getuid() != 0) return QStringList{program} + arguments;
  return QStringList{"setpriv", QString("--reuid=%1").arg(otherUser()), QString("--regid=%1").arg(otherUser()),
                     "--clear-groups", program} +
         arguments;
}

void PostgresServer::run(const QString& program, const QStringList& arguments) {
  QStringList words = asOther(program, arguments);
  QProcess process;
  process.setWorkingDirectory(folder_);
  process.setProcessChannelMode(QProcess::MergedChannels);
  const QString first = words.takeFirst();
  process.start(first, words);
  if (!process.waitForFinished(120000) || process.exitCode() != 0)
    throw std::runtime_error((program + ": " + process.readAll()).toStdString());
  said_ += process.readAll();
}

void PostgresServer::start() {
  QStringList words = asOther(binFolder() + "/postgres", {"-D", folder_ + "/cluster", "-k", folder_, "-c",
                                                          "listen_addresses=", "-c", "max_connections=60"});
  const QString first = words.takeFirst();
  for (int attempt = 0; attempt < 600; ++attempt) {
    // What a killed server left has to end before the next one may begin.
    if (process_.state() == QProcess::NotRunning) {
      process_.setWorkingDirectory(folder_);
      process_.start(first, words);
      process_.waitForStarted();
    }
    QProcess ready;
    ready.start(binFolder() + "/pg_isready", {"-h", folder_, "-q"});
    ready.waitForFinished();
    if (ready.exitCode() == 0) return;
    process_.waitForFinished(100);
  }
  throw std::runtime_error("the server does not start: " + process_.readAll().toStdString());
}

void PostgresServer::kill() {
  if (process_.processId() > 0) ::kill(static_cast<pid_t>(process_.processId()), SIGKILL);
  process_.waitForFinished(5000);
}

std::string PostgresServer::freshStore() {
  const std::string name = "store" + std::to_string(++databases_);
  sql("postgres", "CREATE DATABASE " + name);
  return storeAs("admin", name);
}

std::string PostgresServer::storeAs(const std::string& user, const std::string& database) const {
  return "postgresql:host=" + folder_.toStdString() + " user=" + user + " dbname=" + database;
}

void PostgresServer::sql(const std::string& database, const std::string& statements) {
  run(binFolder() + "/psql", {"-h", folder_, "-U", "admin", "-d", QString::fromStdString(database), "-v",
                              "ON_ERROR_STOP=1", "-q", "-c", QString::fromStdString(statements)});
}

void PostgresServer::sqlFile(const std::string& database, const QString& file, const QStringList& more) {
  QFile::copy(file, folder_ + "/script.sql");
  QFile::setPermissions(folder_ + "/script.sql",
                        QFile::ReadOwner | QFile::WriteOwner | QFile::ReadGroup | QFile::ReadOther);
  run(binFolder() + "/psql",
      QStringList{"-h", folder_, "-U", "admin", "-d", QString::fromStdString(database), "-v", "ON_ERROR_STOP=1", "-q"} +
          more + QStringList{"-f", folder_ + "/script.sql"});
  QFile::remove(folder_ + "/script.sql");
}

}  // namespace imprimo::test
