// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is no file, or far too large a one, is told in bounded time, wherever a file is named.
#include <sys/stat.h>
#include <QFile>

#include "core/base/input_file.h"
#include "tests/support/check.h"
#include "tests/support/copy_folder.h"
#include "tests/support/program.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class BadInputsTest : public QObject {
  Q_OBJECT

  QTemporaryDir folder_;
  QString path(const QString& name) const { return folder_.filePath(name); }

  void writeText(const QString& name, const QString& text) {
    QFile file(path(name));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(text.toUtf8());
  }
  /// The gauge's sheet with something replaced.
  void changedSheet(const QString& before, const QString& after) {
    QString text = QString::fromStdString(readTextFile(path("gauge-rev-b.imprimo").toStdString()));
    QVERIFY2(text.contains(before), qPrintable(before));
    writeText("changed.imprimo", text.replace(before, after));
  }

 private slots:
  void initTestCase() {
    copyFolder(IMPRIMO_DEMO, folder_.path());
    QFile sparse(path("sparse"));
    QVERIFY(sparse.open(QIODevice::WriteOnly));
    QVERIFY(sparse.resize(1ll << 40));
    QCOMPARE(::mkfifo(path("pipe").toLocal8Bit().constData(), 0600), 0);
    QVERIFY(QDir(folder_.path()).mkdir("folder"));
  }

  void anythingThatIsNoFileIsTold_data() {
    QTest::addColumn<QString>("what");
    QTest::addColumn<QString>("bad");
    QTest::addColumn<QString>("line");
    const QString gauge = "$F/gauge-rev-b.imprimo";
    const std::pair<const char*, QString> uses[] = {
        {"sheet", "identify BAD boot-flash"},
        {"placement", "program " + gauge + " boot-flash --place BAD@0 --dry-run"},
        {"piece", "convert BAD -o $F/out.bin"},
        {"wrapper", "convert $F/gauge_cal.hex,card=BAD -o $F/out.bin"},
        {"adapter", "--adapter BAD probes"},
        {"token", "--token-file BAD probes"},
        {"configuration card", "configure " + gauge + " correlator $F/fallback.bin --config-card BAD"},
        {"fuse file", "configure " + gauge + " sequencer BAD"},
        {"vectors", "vectors BAD"},
        {"played", "play BAD"},
        {"bsdl", "--probe tcp:127.0.0.1:1 scan --bsdl BAD"},
    };
    for (const auto& [what, line] : uses) {
      for (const char* bad : {"/dev/zero", "$F/sparse", "$F/pipe", "$F/folder", "/proc/kmsg", "$F/none"}) {
        // A file of vectors may be as large as it likes; reading a terabyte of nothing is another matter.
        if (QString(bad) == "$F/sparse" && (QString(what) == "vectors" || QString(what) == "played")) continue;
        QTest::addRow("%s %s", what, bad) << QString(what) << QString(bad) << line;
      }
    }
  }
  void anythingThatIsNoFileIsTold() {
    QFETCH(QString, bad);
    QFETCH(QString, line);
    const QString file = QString(bad).replace("$F", folder_.path());
    auto program = Program::shell("\"$ctl\" " + line.replace("BAD", file).replace("$F", folder_.path()), path("data"));
    const Ended ended = program.run(10000);
    ENDED(ended, 2);
    QVERIFY2(ended.err.contains(file), qPrintable(ended.err));
    QVERIFY2(!ended.err.contains("bad_alloc") && !ended.err.contains("unforeseen"), qPrintable(ended.err));
    QVERIFY(ended.milliseconds < 5000);
  }

  void whatASheetNamesIsToldWithItsKeyAndLine_data() {
    QTest::addColumn<QString>("before");
    QTest::addColumn<QString>("after");
    QTest::addColumn<QString>("command");
    QTest::addColumn<QString>("key");
    const QString program = "program SHEET boot-flash --dry-run";
    QTest::addRow("bsdl") << "parts/tarn_t40.bsd"
                          << "sparse" << program << "chain[1].bsdl: cannot read";
    QTest::addRow("missing bsdl") << "parts/tarn_t40.bsd"
                                  << "none" << program << "chain[1].bsdl: cannot read";
    QTest::addRow("placement") << "\"fallback.bin\""
                               << "\"pipe\"" << program << ".file: cannot read";
    QTest::addRow("card") << "parts/tarn_configure.json"
                          << "folder"
                          << "configure SHEET correlator"
                          << "chain[1].configure: cannot read";
  }
  void whatASheetNamesIsToldWithItsKeyAndLine() {
    QFETCH(QString, before);
    QFETCH(QString, after);
    QFETCH(QString, command);
    QFETCH(QString, key);
    changedSheet(before, after);
    auto program = Program::shell("\"$ctl\" " + command.replace("SHEET", path("changed.imprimo")), path("data"));
    const Ended ended = program.run(10000);
    ENDED(ended, 2);
    QVERIFY2(ended.err.contains(QRegularExpression("changed\\.imprimo:\\d+: ")), qPrintable(ended.err));
    QVERIFY2(ended.err.contains(key), qPrintable(ended.err));
    QVERIFY2(ended.err.contains(path(QString(after).remove(QChar(34)))), qPrintable(ended.err));
  }

  void theBenchTellsToo() {
    for (const char* bad : {"/dev/zero", "sparse", "pipe", "folder", "none"}) {
      Program program("imprimo-bench", {QString(bad).startsWith('/') ? bad : path(bad)});
      const Ended ended = program.run(10000);
      ENDED(ended, 2);
      QVERIFY2(ended.err.contains(bad), qPrintable(ended.err));
    }
  }

  void theWindowOpensAllTheSame() {
    for (const char* bad : {"/dev/zero", "sparse", "pipe", "folder"}) {
      Program program("imprimo", {QString(bad).startsWith('/') ? bad : path(bad)}, path("data"));
      program.start();
      QVERIFY(program.runsAfter(2000));
      program.signal(SIGTERM);
      ENDED(program.wait(10000), 0);
    }
  }

  void theLargeOneIsReadWhereItIsMeant() {
    QFile sparse(path("large"));
    QVERIFY(sparse.open(QIODevice::WriteOnly));
    QVERIFY(sparse.resize((1ll << 30) + 16));
    sparse.close();
    Program refused("imprimoctl", {"inspect", path("large")});
    const Ended small = refused.run();
    ENDED(small, 2);
    QVERIFY2(small.err.contains("at most 1 GiB are read"), qPrintable(small.err));
    QVERIFY2(small.err.contains("--large"), qPrintable(small.err));
    const QStringList words{"--large", "--json", "convert", path("large"), "-o", "/dev/null", "--format", "bin"};
    const Ended read = Program("imprimoctl", words).run();
    ENDED(read, 0);
    QVERIFY2(read.out.contains("\"bytes\":1073741840"), qPrintable(read.out));
  }

  void aPipeThatThisProcessWasGivenIsRead() {
    auto program = Program::shell("printf ':0100000055AA\\n:00000001FF\\n' | \"$ctl\" inspect /dev/stdin --json");
    const Ended ended = program.run(10000);
    ENDED(ended, 0);
    QVERIFY2(ended.out.contains("Intel HEX"), qPrintable(ended.out));
    auto raw = Program::shell("head -c 70000 /dev/zero | \"$ctl\" inspect /dev/stdin --json");
    const Ended read = raw.run(10000);
    ENDED(read, 0);
    QVERIFY2(read.out.contains("\"bytes\":70000"), qPrintable(read.out));
  }
};
IMPRIMO_TEST(BadInputsTest);
#include "tst_bad_inputs.moc"
