// SPDX-License-Identifier: GPL-3.0-or-later
//
// Answers that are true, and refusals before anything is lost: kept ranges, names that nothing has, files that are
// read and would be written over, raw files that are nearly all filling, words that are mistyped.
#include "core/base/input_file.h"
#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class AnswersTest : public QObject {
  Q_OBJECT
 private slots:
  void keptBytesAreNeverCalledErased() {
    Gauge g;
    // The sheet keeps 0x7F0000 to 0x7FFFFF.
    const Answer all = g.ctl({"erase", g.sheet(), "--range", "0x7F0000+4K"});
    CODE(all, 1);
    QVERIFY2(all.err.contains("all of 0x7F0000 – 0x7F0FFF is kept") && !all.err.contains("blank"), qPrintable(all.err));
    CODE(g.ctl({"erase", g.sheet(), "--range", "0x7F0000+4K", "--skip-kept"}), 1);
    const Answer partly = g.ctl({"erase", g.sheet(), "--range", "0x7EF000+8K"});
    CODE(partly, 1);
    QVERIFY2(partly.err.contains("0x7F0000 – 0x7F0FFF is kept"), qPrintable(partly.err));
    QVERIFY2(partly.err.contains("Skip what is kept"), qPrintable(partly.err));
    const Answer rest = g.ctl({"--json", "erase", g.sheet(), "--range", "0x7EF000+8K", "--skip-kept"});
    CODE(rest, 0);
    const QJsonObject erased = firstOf(rest.json()["erased"]);
    QVERIFY2(erased["to"].toString() == "0x7EFFFF" || rest.json()["erased"].toArray().isEmpty(), qPrintable(rest.out));
    // All of it, but for what is kept: as ever.
    CODE(g.ctl({"erase", g.sheet(), "--all", "--dry-run"}), 0);
  }

  void procedureThatNothingHasIsTwoWithTheList() {
    Gauge g;
    for (const char* option : {"--with", "--without"}) {
      const Answer a = g.ctl({"configure", g.sheet(), "sequencer", option, "NOTHING"});
      CODE(a, 2);
      QVERIFY2(a.err.contains("no procedure 'NOTHING'") && a.err.contains("It has: "), qPrintable(a.err));
    }
    const Answer card = g.ctl({"configure", g.sheet(), "correlator", "--with", "NOTHING"});
    CODE(card, 2);
    QVERIFY2(card.err.contains("no procedure 'NOTHING'"), qPrintable(card.err));
  }

  void aLinePastTheEndIsTwo() {
    Gauge g;
    g.write("a.svf", "STATE RESET;\nSTATE IDLE;\n");
    const Answer a = g.ctl({"play", g.path("a.svf"), "--from-line", "200"});
    CODE(a, 2);
    QVERIFY2(a.err.contains("--from-line 200 is past the end of the file"), qPrintable(a.err));
    CODE(g.ctl({"play", g.path("a.svf"), "--from-line", "0"}), 2);
  }

  void whatIsReadIsNotWrittenOver_data() {
    QTest::addColumn<QStringList>("words");
    const QString sheet = "$F/gauge-rev-b.imprimo";
    QTest::addRow("sheet") << QStringList{"read", sheet, "--length", "16", "-o", sheet};
    QTest::addRow("placement") << QStringList{"read", sheet, "--length", "16", "-o", "$F/fallback.bin"};
    QTest::addRow("bsdl") << QStringList{"read", sheet, "--length", "16", "-o", "$F/parts/tarn_t40.bsd"};
    QTest::addRow("link") << QStringList{"read", sheet, "--length", "16", "-o", "$F/link.bin"};
    QTest::addRow("report") << QStringList{"verify", sheet, "-o", sheet};
    QTest::addRow("card") << QStringList{"identify", sheet, "--card", "$F/parts/tarn_configure.json"};
    QTest::addRow("export") << QStringList{"export", sheet, "-o", sheet};
    QTest::addRow("convert") << QStringList{"convert", "$F/gauge_cal.hex", "-o", "$F/gauge_cal.hex"};
    QTest::addRow("compare") << QStringList{"compare", "$F/gauge_cal.hex", "$F/gauge_cal.hex", "-o",
                                            "$F/gauge_cal.hex"};
  }
  void whatIsReadIsNotWrittenOver() {
    QFETCH(QStringList, words);
    Gauge g;
    QFile::link(g.path("fallback.bin"), g.path("link.bin"));
    for (QString& word : words) word.replace("$F", g.path(""));
    const QString output = words.back();
    const Bytes before = readFile(output.toStdString());
    const Answer a = g.ctl(words);
    CODE(a, 2);
    QVERIFY2(a.err.contains("would be written over"), qPrintable(a.err));
    QVERIFY(readFile(output.toStdString()) == before);
  }

  void aGlobalFileHasToBeThereEvenWhereItIsNotNeeded() {
    Gauge g;
    CODE(Gauge::run({"--adapter", g.path("none"), "inspect", g.path("gauge_cal.hex")}), 2);
    CODE(Gauge::run({"--token-file", g.path("none"), "copies"}), 2);
    CODE(Gauge::run({"--library", g.path("none"), "copies"}), 2);
    CODE(g.ctl({"--adapter", g.path("none"), "scan"}), 2);
  }

  void aRawFileThatIsNearlyAllFillingIsAskedFor() {
    Gauge g;
    // Two bytes: at 0 and at 0xFFFFFFFF, or at 0x100000.
    g.write("far.hex", ":0100000055AA\n:02000004FFFFFC\n:01FFFF0055AC\n:00000001FF\n");
    g.write("near.hex", ":0100000055AA\n:020000040010EA\n:0100000055AA\n:00000001FF\n");
    for (const char* name : {"far.hex", "near.hex"}) {
      const Answer a = Gauge::run({"convert", g.path(name), "-o", g.path("out.bin")});
      CODE(a, 2);
      QVERIFY2(a.err.contains("of filling") && a.err.contains("--fill 0xFF"), qPrintable(a.err));
      QVERIFY(!QFile::exists(g.path("out.bin")));
      CODE(Gauge::run({"convert", g.path(name), "-o", g.path("out.hex")}), 0);
    }
    CODE(Gauge::run({"convert", g.path("near.hex"), "-o", g.path("out.bin"), "--fill", "0"}), 0);
    CODE(Gauge::run({"convert", g.path("near.hex"), "-o", g.path("out.bin"), "--size", "2M"}), 0);
    CODE(Gauge::run({"convert", g.path("gauge_cal.hex"), "-o", g.path("cal.bin")}), 0);
  }

  void mistypedWordsAreNamedWithTheNearestOne_data() {
    QTest::addColumn<QStringList>("words");
    QTest::addColumn<QString>("said");
    QTest::addRow("command") << QStringList{"progam", "x"} << "there is no command 'progam'; is 'program' meant?";
    QTest::addRow("far off") << QStringList{"zzzzzz"} << "there is no command 'zzzzzz'";
    QTest::addRow("option") << QStringList{"convert", "a", "-o", "b", "--recrod", "4"}
                            << "there is no option '--recrod'; is '--record' meant?";
    QTest::addRow("with value") << QStringList{"--prob=tcp:a:1", "scan"}
                                << "there is no option '--prob'; is '--probe' meant?";
    QTest::addRow("too many") << QStringList{"scan", "extra"} << "'extra' is one word too many for scan";
    QTest::addRow("nothing") << QStringList{} << "a command is missing";
    QTest::addRow("no sheet") << QStringList{"program"} << "program needs SHEET";
    QTest::addRow("no output") << QStringList{"convert", "a"} << "convert needs --output";
    QTest::addRow("no value") << QStringList{"scan", "--probe"} << "--probe needs a value";
    QTest::addRow("range") << QStringList{"--speed", "0", "scan"}
                           << "--speed: takes a whole number from 1 to 1000000000, not '0'";
    QTest::addRow("no number") << QStringList{"--wait", "soon", "scan"}
                               << "--wait: takes a whole number from 1 to 3600, not 'soon'";
    QTest::addRow("huge") << QStringList{"play", "x", "--from-line", "99999999999999999999999"}
                          << "--from-line: takes a whole number from 1 to 18446744073709551615";
    QTest::addRow("word") << QStringList{"export", "x", "-o", "y", "--only", "all"}
                          << "--only: takes chain, id, blank, verify, not 'all'";
    QTest::addRow("record") << QStringList{"convert", "a", "-o", "b.hex", "--record", "300"}
                            << "--record: takes a whole number from 1 to 255, not '300'";
  }
  void mistypedWordsAreNamedWithTheNearestOne() {
    QFETCH(QStringList, words);
    QFETCH(QString, said);
    const Answer a = Gauge::run(words);
    CODE(a, 2);
    QVERIFY2(a.err.contains(said), qPrintable(a.err));
    QVERIFY2(a.err.contains("imprimoctl --help"), qPrintable(a.err));
  }

  void numbersOfOptionsMayBeHexadecimal() {
    Gauge g;
    CODE(Gauge::run({"convert", g.path("gauge_cal.hex"), "-o", g.path("out.hex"), "--record", "0x20"}), 0);
    VERIFY_CONTAINS(readTextFile(g.path("out.hex").toStdString()), ":20");
    CODE(Gauge::run({"convert", g.path("gauge_cal.hex"), "-o", g.path("out.hex"), "--record", "4K"}), 2);
  }

  void aNameThatOnlyBeginsLikeThisComputerNeedsAToken() {
    const Answer a = Gauge::run({"share", "--listen", "127.elsewhere.test:0"});
    CODE(a, 2);
    QVERIFY2(a.err.contains("a token is needed there"), qPrintable(a.err));
  }

  void allAddressesAreBeyondThePart() {
    Gauge g;
    for (const char* command : {"erase", "blank"}) {
      const Answer a = g.ctl({command, g.sheet(), "--range", "0x0..0xFFFFFFFFFFFFFFFF"});
      CODE(a, 2);
      QVERIFY2(a.err.contains("reaches past the end of every memory"), qPrintable(a.err));
    }
  }

  void libraryTextsOfJsonAreOurs() {
    Gauge g;
    g.write("bad.imprimo", "{\n  \"imprimo\": 1,\n  \"chain\": [}\n}\n");
    const Answer a = g.ctl({"identify", g.path("bad.imprimo"), "boot-flash"});
    CODE(a, 2);
    QVERIFY2(a.err.contains("bad.imprimo:3: not valid JSON: '}' cannot stand here"), qPrintable(a.err));
    g.write("cut.imprimo", "{\n  \"imprimo\": 1,\n");
    const Answer cut = g.ctl({"identify", g.path("cut.imprimo"), "boot-flash"});
    QVERIFY2(cut.err.contains("not valid JSON: the text ends too early"), qPrintable(cut.err));
    g.write("large.imprimo", "{\"imprimo\": 1e999}\n");
    const Answer large = g.ctl({"identify", g.path("large.imprimo"), "boot-flash"});
    QVERIFY2(large.err.contains("the number 1e999 is out of range"), qPrintable(large.err));
  }
};
IMPRIMO_TEST(AnswersTest);
#include "tst_answers.moc"
