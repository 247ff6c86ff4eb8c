// SPDX-License-Identifier: GPL-3.0-or-later
//
// Every command of the guide is given to the programs, on a bench of the demo, and answers what the page says.
// IMPRIMO_GUIDE_UPDATE=1 writes into the pages what was answered instead.
#include <QDir>
#include <QJsonDocument>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include "tests/guide/guide_page.h"
#include "tests/support/copy_folder.h"
#include "tests/support/program.h"
#include "tests/support/test_registry.h"

using namespace imprimo::test;

namespace {

const QString kPages = QString(IMPRIMO_SOURCE) + "/docs/guide";

/// A copy of the demo, a bench beside it, and a shell whose imprimoctl finds that bench as its only probe.
class Desk {
 public:
  explicit Desk(const GuidePage& page) {
    copyFolder(IMPRIMO_DEMO, folder_.filePath("demo"));
    QFile::copy(QString(IMPRIMO_SOURCE) + "/target/imprimo_console.h", folder_.filePath("demo/imprimo_console.h"));
    const QString bench = folder_.filePath("demo/" + page.bench);
    if (!page.with.isEmpty()) change(bench, page.with);
    bench_ = std::make_unique<Program>("imprimo-bench", QStringList{bench});
    bench_->start();
    address_ = bench_->line("listening").section(' ', 1);
    QDir().mkpath(folder_.filePath("bin"));
    script("imprimoctl", QString("exec '%1' --probe tcp:%2 \"$@\"").arg(programPath("imprimoctl"), address_));
    script("imprimo-bench", QString("exec '%1' \"$@\"").arg(programPath("imprimo-bench")));
    work_ = folder_.filePath("demo/" + page.folder);
  }
  bool isReady() const { return !address_.isEmpty(); }

  QString tell(const QString& line) {
    QProcess shell;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert("PATH", folder_.filePath("bin") + ":" + environment.value("PATH"));
    environment.insert("XDG_DATA_HOME", folder_.filePath("data"));
    environment.insert("XDG_CONFIG_HOME", folder_.filePath("config"));
    environment.insert("HOME", folder_.path());
    environment.insert("QT_QPA_PLATFORM", "offscreen");
    shell.setProcessEnvironment(environment);
    shell.setWorkingDirectory(work_);
    shell.setProcessChannelMode(QProcess::MergedChannels);
    shell.start("bash", {"-c", line});
    shell.waitForFinished(120'000);
    QString answer = QString::fromUtf8(shell.readAll());
    if (shell.exitCode() != 0) answer += QString("(exit %1)\n").arg(shell.exitCode());
    return answer.replace(folder_.path(), "~");
  }

 private:
  static void change(const QString& path, const QJsonObject& with) {
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) return;
    QJsonObject bench = QJsonDocument::fromJson(file.readAll()).object();
    for (auto each = with.begin(); each != with.end(); ++each) bench[each.key()] = each.value();
    file.close();
    if (file.open(QIODevice::WriteOnly)) file.write(QJsonDocument(bench).toJson());
  }
  void script(const QString& name, const QString& line) {
    QFile file(folder_.filePath("bin/" + name));
    if (file.open(QIODevice::WriteOnly)) file.write(("#!/bin/sh\n" + line + "\n").toUtf8());
    file.setPermissions(QFile::ReadOwner | QFile::WriteOwner | QFile::ExeOwner);
  }

  QTemporaryDir folder_;
  std::unique_ptr<Program> bench_;
  QString address_, work_;
};

}  // namespace

class GuideTest : public QObject {
  Q_OBJECT
 private slots:
  void everyCommandAnswersAsThePageSays_data() {
    QTest::addColumn<QString>("page");
    for (const QString& name : QDir(kPages).entryList({"*.md"}, QDir::Files))
      QTest::newRow(qPrintable(name)) << kPages + "/" + name;
  }
  void everyCommandAnswersAsThePageSays() {
    QFETCH(QString, page);
    const GuidePage guide(page);
    if (guide.commands.empty()) return;
    QVERIFY2(!guide.bench.isEmpty(), "the page does not say on which bench");
    Desk desk(guide);
    QVERIFY(desk.isReady());
    QStringList told;
    for (const GuideCommand& command : guide.commands) {
      told += desk.tell(command.line);
      if (qEnvironmentVariableIsSet("IMPRIMO_GUIDE_UPDATE")) {
        told.back() = answers(command.answer, told.back()) ? command.answer : masked(told.back());
        continue;
      }
      QVERIFY2(answers(command.answer, told.back()),
               qPrintable(QString("line %1: %2\nsays\n%3").arg(command.at + 1).arg(command.line, told.back())));
    }
    if (!qEnvironmentVariableIsSet("IMPRIMO_GUIDE_UPDATE")) return;
    QFile file(page);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(guide.withAnswers(told).toUtf8());
  }

  /// The comparison itself can fail.
  void whatDiffersIsFound() {
    QVERIFY(answers("a … c\n", "a b c\n"));
    QVERIFY(!answers("a … c\n", "a b\n"));
    QVERIFY(answers("one\n…\nfour\n", "one\ntwo\nthree\nfour\n"));
    QVERIFY(answers("one\n…\nfour\n", "one\nfour\n"));
    QVERIFY(!answers("one\n", "one\ntwo\n"));
    QVERIFY(!answers("", "something"));
    QVERIFY(answers("", ""));
  }
};

IMPRIMO_TEST(GuideTest);
#include "tst_guide.moc"
