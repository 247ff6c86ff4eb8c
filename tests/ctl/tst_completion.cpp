// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a shell is told of a command line that is being typed.
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <sstream>

#include "core/base/atomic_file.h"
#include "ctl/command.h"
#include "ctl/command_line.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

QStringList complete(const std::vector<std::string>& words, const probe::SystemRoot& system = {}) {
  std::vector<std::string> arguments{"--complete"};
  arguments.insert(arguments.end(), words.begin(), words.end());
  std::ostringstream out, err;
  if (ctl::runCommandLine(arguments, out, err, {}, system) != 0) return {"failed"};
  QStringList lines = QString::fromStdString(out.str()).split('\n', Qt::SkipEmptyParts);
  for (QString& line : lines) line = line.section('\t', 0, 0);
  return lines;
}

}  // namespace

class CompletionTest : public QObject {
  Q_OBJECT

  QTemporaryDir folder_;
  std::string sheet() const { return folder_.filePath("gauge.imprimo").toStdString(); }

 private slots:
  void initTestCase() {
    writeFileAtomically(sheet(), R"({"imprimo_sheet": 1, "chain": [{"name": "correlator", "ir_length": 6}],
      "cores": [], "memories": [
        {"name": "boot-flash", "type": "spi-nor", "route": {"via": "bridge", "device": "correlator"}},
        {"name": "log-flash", "type": "spi-nor", "route": {"via": "bridge", "device": "correlator"}}]})");
  }

  void commandsAndTheirOptions() {
    QCOMPARE(complete({""}).size(), static_cast<qsizetype>(ctl::commandTable().size()));
    QCOMPARE(complete({"ver"}), QStringList{"verify"});
    QCOMPARE(complete({"program", "--no-v"}), QStringList{"--no-verify"});
    // Those of every command come too, wherever they are typed.
    QVERIFY(complete({"program", "--"}).contains("--probe"));
    QCOMPARE(complete({"--js"}), QStringList{"--json"});
    QCOMPARE(complete({"--speed", "1000000", "veri"}), QStringList{"verify"});
    QCOMPARE(complete({"nonsense", "x"}), QStringList{});
  }

  void namesOfTheSheet() {
    QCOMPARE(complete({"program", sheet(), ""}), (QStringList{"boot-flash", "log-flash"}));
    QCOMPARE(complete({"program", sheet(), "log"}), QStringList{"log-flash"});
    QCOMPARE(complete({"--probe", "tcp:somewhere:1", "program", "--no-verify", sheet(), "b"}),
             QStringList{"boot-flash"});
    QCOMPARE(complete({"pins", sheet(), ""}), QStringList{"correlator"});
    QCOMPARE(complete({"program", "not there", ""}), QStringList{});
    QCOMPARE(complete({"program", sheet(), "boot-flash", ""}), QStringList{});
  }

  void filesAndWords() {
    QCOMPARE(complete({"program", ""}), QStringList{":files imprimo"});
    QCOMPARE(complete({"play", ""}), QStringList{":files svf"});
    QCOMPARE(complete({"--library", ""}), QStringList{":folders"});
    QCOMPARE(complete({"--adapter", ""}), QStringList{":files "});
    QCOMPARE(complete({"scan", "--port", ""}), (QStringList{"jtag", "swd"}));
    QCOMPARE(complete({"release", ""}), (QStringList{"make", "show", "compare"}));
    QCOMPARE(complete({"library", "re"}), QStringList{"remove"});
  }

  void probesThatArePluggedIn() {
    const QStringList without = complete({"--probe", ""}, probe::SystemRoot{folder_.path().toStdString()});
    QCOMPARE(without, (QStringList{"tcp:", "mpsse-tcp:"}));
    UsbTree tree;
    tree.addDap("1-2", "G-17", "Gauge CMSIS-DAP");
    const QStringList with = complete({"--probe", "usb"}, tree.root());
    QCOMPARE(with, QStringList{"usb:G-17"});
  }

  /// Every command's every option is known by its long name.
  void noOptionIsMissing() {
    for (const ctl::CommandRow& row : ctl::commandTable()) {
      std::ostringstream out, err;
      QCOMPARE(ctl::runCommandLine({row.name, "--help"}, out, err, {}), 0);
      const QStringList known = complete({row.name, "--"});
      static const QRegularExpression kLong("(?:^  |,)(--[a-z-]+)", QRegularExpression::MultilineOption);
      auto each = kLong.globalMatch(QString::fromStdString(out.str()));
      QVERIFY(each.hasNext());
      while (each.hasNext()) {
        const QString name = each.next().captured(1);
        QVERIFY2(known.contains(name), qPrintable(QString("%1 %2").arg(row.name, name)));
      }
    }
  }
};

IMPRIMO_TEST(CompletionTest);
#include "tst_completion.moc"
