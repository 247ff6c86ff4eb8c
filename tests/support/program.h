// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <signal.h>

#include <QElapsedTimer>
#include <QProcess>
#include <QProcessEnvironment>
#include <QTemporaryDir>

namespace imprimo::test {

/// What a program did.
struct Ended {
  int code =
      -1;  ///< its exit code; 128 and the signal's number where one killed it; -1: it went on and was killed here
  QString out, err;
  qint64 milliseconds = 0;
};

/// Where the real programs are. IMPRIMO_PROGRAMS names a folder with others: those of before a change.
inline QString programPath(const char* name) {
  const QString other = qEnvironmentVariable("IMPRIMO_PROGRAMS");
  if (!other.isEmpty()) return other + "/" + name;
  return QString(name) == "imprimoctl" ? QString(IMPRIMO_CTL)
         : QString(name) == "imprimo"  ? QString(IMPRIMO_WINDOW)
                                       : QString(IMPRIMO_BENCH_PROGRAM);
}

/// One of the real programs as a process of its own, with folders of its own.
class Program {
 public:
  Program(const char* name, const QStringList& arguments, const QString& data = {}) {
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    if (!data.isEmpty()) environment.insert("XDG_DATA_HOME", data);
    environment.insert("QT_QPA_PLATFORM", "offscreen");
    process_.setProcessEnvironment(environment);
    process_.setProgram(programPath(name));
    process_.setArguments(arguments);
  }
  /// A shell's command line in which "$ctl", "$bench" and "$window" are the programs.
  static Program shell(const QString& line, const QString& data = {}) { return Program(Line{line}, data); }
  Program(Program&&) = delete;
  ~Program() {
    process_.kill();
    process_.waitForFinished(5000);
  }

  QProcess& process() { return process_; }
  void start() {
    timer_.start();
    process_.start();
    process_.waitForStarted(10000);
  }
  /// False when it has ended already.
  bool signal(int number) {
    const auto id = static_cast<pid_t>(process_.processId());
    return id > 0 && ::kill(id, number) == 0;
  }
  /// Whether it still runs after so many milliseconds.
  bool runsAfter(int milliseconds) {
    process_.waitForFinished(milliseconds);
    return process_.state() == QProcess::Running;
  }
  /// Waits for a line on standard output that begins so; empty when it does not come.
  QString line(const QString& begins, int limit = 10000) {
    QElapsedTimer waited;
    waited.start();
    while (waited.elapsed() < limit) {
      out_ += process_.readAllStandardOutput();
      for (const QString& line : QString::fromUtf8(out_).split('\n')) {
        if (line.startsWith(begins) && out_.contains('\n')) return line;
      }
      if (!process_.waitForReadyRead(100) && process_.state() == QProcess::NotRunning) break;
    }
    return {};
  }
  Ended wait(int limit = 60000) {
    Ended ended;
    if (process_.state() != QProcess::NotRunning && !process_.waitForFinished(limit)) {
      process_.kill();
      process_.waitForFinished(5000);
    } else if (process_.exitStatus() == QProcess::CrashExit) {
      ended.code = 128 + process_.exitCode();
    } else {
      ended.code = process_.exitCode();
    }
    ended.milliseconds = timer_.elapsed();
    ended.out = QString::fromUtf8(out_ + process_.readAllStandardOutput());
    ended.err = QString::fromUtf8(process_.readAllStandardError());
    return ended;
  }
  Ended run(int limit = 60000) {
    start();
    return wait(limit);
  }

 private:
  struct Line {
    QString text;
  };
  Program(const Line& line, const QString& data) : Program("imprimoctl", QStringList(), data) {
    QProcessEnvironment environment = process_.processEnvironment();
    environment.insert("ctl", programPath("imprimoctl"));
    environment.insert("bench", programPath("imprimo-bench"));
    environment.insert("window", programPath("imprimo"));
    process_.setProcessEnvironment(environment);
    process_.setProgram("/bin/sh");
    process_.setArguments({"-c", line.text});
  }

  QProcess process_;
  QElapsedTimer timer_;
  QByteArray out_;
};

#define ENDED(ended, expected)                                                                                     \
  do {                                                                                                             \
    const imprimo::test::Ended& once = (ended);                                                                    \
    QVERIFY2(                                                                                                      \
        once.code == (expected),                                                                                   \
        qPrintable(QString("exit %1 after %2 ms: ").arg(once.code).arg(once.milliseconds) + once.err + once.out)); \
  } while (false)

}  // namespace imprimo::test
