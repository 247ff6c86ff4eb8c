// SPDX-License-Identifier: GPL-3.0-or-later
//
// The guide and the help of commands in the terminal.
#include <QString>
#include <QTest>
#include <sstream>

#include "ctl/command.h"
#include "ctl/command_line.h"
#include "ctl/guide_pages.h"
#include "tests/support/test_registry.h"

using namespace imprimo;

namespace {

QString tell(const std::vector<std::string>& words, int expected = 0) {
  std::ostringstream out, err;
  const int code = ctl::runCommandLine(words, out, err, {});
  return code == expected ? QString::fromStdString(out.str() + err.str()) : QString("exit code %1").arg(code);
}

}  // namespace

class HelpTest : public QObject {
  Q_OBJECT
 private slots:
  void allTopicsAreListed() {
    const QString list = tell({"help"});
    for (const ctl::CommandRow& row : ctl::commandTable()) QVERIFY2(list.contains(row.what), row.name);
    QVERIFY(list.contains("dead-board") && list.contains("A board that does not answer"));
    QVERIFY(ctl::guidePages().size() >= 13);
  }

  void aCommandsHelpIsItsOwn() {
    for (const ctl::CommandRow& row : ctl::commandTable())
      QCOMPARE(tell({"help", row.name}), tell({row.name, "--help"}));
  }

  void aPageIsReadInTheTerminal() {
    for (const ctl::GuidePage& page : ctl::guidePages()) {
      const QString text = tell({"help", std::string(page.name)});
      QVERIFY2(text.startsWith("# "), page.name.data());
      QVERIFY2(!text.contains("<!--") && !text.contains("](") && !text.contains("```"), qPrintable(text));
    }
    QVERIFY(tell({"help", "dead-board"}).contains("$ imprimoctl scan --sheet gauge-rev-b.imprimo"));
    QVERIFY(tell({"--json", "help", "index"}).startsWith("{\"page\":\"index\""));
  }

  void aMistypedTopicSaysWhatIsNear() {
    QVERIFY(tell({"help", "progam"}, 2).contains("there is no command and no page 'progam'. Is 'program' meant?"));
    QVERIFY(tell({"help", "zzzzzzzz"}, 2).contains("'imprimoctl help' lists them."));
  }
};

IMPRIMO_TEST(HelpTest);
#include "tst_help.moc"
