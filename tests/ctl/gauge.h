// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QTemporaryDir>
#include <sstream>

#include "core/base/input_file.h"
#include "ctl/command_line.h"
#include "sim/bench_server.h"
#include "tests/support/copy_folder.h"

namespace imprimo::test {

struct Answer {
  int code = -1;
  QString out, err;
  QJsonObject json() const { return QJsonDocument::fromJson(out.toUtf8()).object(); }
};

/// The gauge in a folder of its own, served over TCP.
class Gauge {
 public:
  explicit Gauge(const std::function<void(QString&)>& change = {}) {
    copyFolder(IMPRIMO_DEMO, folder_.path());
    if (change) {
      QString text = QString::fromStdString(readTextFile(path("bench.json").toStdString()));
      change(text);
      QFile file(path("bench.json"));
      if (file.open(QIODevice::WriteOnly)) file.write(text.toUtf8());
    }
    bench_ = sim::readBench(path("bench.json").toStdString());
    server_ = std::make_unique<sim::BenchServer>(*bench_, sim::ServerOptions{});
  }
  Answer ctl(QStringList words, std::stop_token stop = {}) {
    words.prepend(QString::fromStdString(server_->address()));
    words.prepend("--probe");
    return run(words, stop);
  }
  static Answer run(const QStringList& words, std::stop_token stop = {}, const probe::SystemRoot& system = {}) {
    std::vector<std::string> arguments;
    for (const QString& word : words) arguments.push_back(word.toStdString());
    std::ostringstream out, err;
    Answer answer;
    answer.code = ctl::runCommandLine(arguments, out, err, stop, system);
    answer.out = QString::fromStdString(out.str());
    answer.err = QString::fromStdString(err.str());
    return answer;
  }
  QString path(const QString& name) const { return folder_.filePath(name); }
  QString sheet() const { return path("gauge-rev-b.imprimo"); }
  sim::BenchServer& server() { return *server_; }
  void write(const QString& name, const QByteArray& bytes) {
    QFile file(path(name));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(bytes);
  }

 private:
  QTemporaryDir folder_;
  std::unique_ptr<sim::Bench> bench_;
  std::unique_ptr<sim::BenchServer> server_;
};

/// The first object of a list; an empty one where there is none.
inline QJsonObject firstOf(const QJsonValue& list) {
  return list.toArray().isEmpty() ? QJsonObject() : list.toArray().at(0).toObject();
}

#define CODE(answer, expected)                                                                              \
  do {                                                                                                      \
    const imprimo::test::Answer& once = (answer);                                                           \
    QVERIFY2(once.code == (expected), qPrintable(QString::number(once.code) + ": " + once.err + once.out)); \
  } while (false)

}  // namespace imprimo::test
