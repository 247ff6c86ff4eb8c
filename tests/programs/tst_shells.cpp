// SPDX-License-Identifier: GPL-3.0-or-later
//
// What shells and readers of manuals get of the programs: completion in a real bash, man pages that miss no option.
#include <QDir>
#include <QRegularExpression>

#include "tests/support/program.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo::test;

class ShellsTest : public QObject {
  Q_OBJECT

  static QString shell(const QString& script) {
    QProcess bash;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert("PATH", QFileInfo(programPath("imprimoctl")).path() + ":" + environment.value("PATH"));
    bash.setProcessEnvironment(environment);
    bash.setWorkingDirectory(IMPRIMO_DEMO);
    bash.start("bash", {"--norc", "-c", script});
    bash.waitForFinished(30'000);
    return QString::fromUtf8(bash.readAllStandardOutput());
  }

 private slots:
  void bashCompletesWhatIsTyped() {
    QVERIFY2(QFileInfo::exists("/usr/share/bash-completion/bash_completion"), "bash-completion is not installed");
    const auto completed = [](const QString& words) {
      return shell(QString("source /usr/share/bash-completion/bash_completion\n"
                           "source '%1/desktop/completion/imprimoctl.bash'\n"
                           "COMP_LINE=\"%2\"; COMP_POINT=${#COMP_LINE}; COMP_WORDS=(%2); [[ $COMP_LINE == *' ' ]] && "
                           "COMP_WORDS+=('')\n"
                           "COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); COMPREPLY=(); _imprimoctl 2>/dev/null\n"
                           "printf '%s\\n' \"${COMPREPLY[@]}\"")
                       .arg(IMPRIMO_SOURCE, words))
          .split('\n', Qt::SkipEmptyParts);
    };
    QCOMPARE(completed("imprimoctl ver"), QStringList{"verify"});
    QCOMPARE(completed("imprimoctl program gauge-rev-b.imprimo "), QStringList{"boot-flash"});
    QVERIFY(completed("imprimoctl program ").contains("gauge-rev-b.imprimo"));
    QVERIFY(!completed("imprimoctl program ").contains("fallback.bin"));
    QVERIFY(completed("imprimoctl program ").contains("float"));  // a folder leads to others
    QCOMPARE(completed("imprimoctl --library pa"), QStringList{"parts"});
  }

  /// One page a command, made of the same --help; a page that lacks an option would be one that was not made anew.
  void manPagesMissNothing() {
    QTemporaryDir folder;
    QProcess python;
    python.start("python3", {QString(IMPRIMO_SOURCE) + "/desktop/make-man-pages.py", folder.path(),
                             QString(IMPRIMO_SOURCE) + "/docs/formats/command-line.md", programPath("imprimoctl"),
                             programPath("imprimo"), programPath("imprimo-bench")});
    QVERIFY(python.waitForFinished(120'000));
    QVERIFY2(python.exitCode() == 0, python.readAllStandardError().constData());
    const auto optionsOf = [](const QStringList& words) {
      const Ended help = Program(words.front().toUtf8().constData(), words.mid(1) + QStringList{"--help"}).run();
      QStringList all;
      static const QRegularExpression kLong("(?:^  |, ?)(--[a-z-]+)", QRegularExpression::MultilineOption);
      for (auto each = kLong.globalMatch(help.out); each.hasNext();) all += each.next().captured(1);
      return all;
    };
    const auto page = [&](const QString& name) {
      QFile file(folder.filePath(name + ".1"));
      return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()).replace("\\-", "-") : QString();
    };
    QMap<QString, QStringList> pages{{"imprimo", {"imprimo"}}, {"imprimo-bench", {"imprimo-bench"}}};
    const QString help = Program("imprimoctl", {"--help"}).run().out;
    for (const QString& line : help.section("Subcommands:", 1).split('\n', Qt::SkipEmptyParts)) {
      const QString name = line.trimmed().section(' ', 0, 0);
      if (!name.isEmpty()) pages["imprimoctl-" + name] = {"imprimoctl", name};
    }
    QVERIFY(pages.size() > 40);
    QCOMPARE(QDir(folder.path()).entryList({"*.1"}).size(), pages.size() + 1);
    for (auto each = pages.begin(); each != pages.end(); ++each) {
      const QStringList options = optionsOf(each.value());
      QVERIFY2(!options.isEmpty(), qPrintable(each.key()));
      for (const QString& option : options)
        QVERIFY2(page(each.key()).contains(option), qPrintable(each.key() + " " + option));
      QVERIFY(page(each.key()).contains(".SH SYNOPSIS"));
    }
    QVERIFY(page("imprimoctl").contains(".SH EXIT STATUS") &&
            page("imprimoctl").contains("this is a fault of Imprimo"));
  }
};

IMPRIMO_TEST(ShellsTest);
#include "tst_shells.moc"
