// SPDX-License-Identifier: GPL-3.0-or-later
//
// The command line on a configuration flash: registers, copies, trials, lists, reports.
#include "core/base/input_file.h"
#include "core/flash/part_card.h"
#include "core/store/folders.h"
#include "records/record_store.h"
#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

void changeSheet(Gauge& g, const char* from, const char* to) {
  QString text = QString::fromStdString(readTextFile(g.sheet().toStdString()));
  QVERIFY(text.contains(from));
  g.write("gauge-rev-b.imprimo", text.replace(from, to).toUtf8());
}

void useCard(Gauge& g) {
  changeSheet(g, "\"sync\"", R"("part": "parts/quill_q64.json", "sync")");
}

/// How many of the user's records have this in them.
int recordsWith(const char* text) {
  int count = 0;
  records::Database database(records::chosenStore());
  records::RecordStore store(database);
  for (const records::KeptRecord& each : store.find({}, 10'000))
    count += store.record(each.id).text.find(text) != std::string::npos ? 1 : 0;
  return count;
}

}  // namespace

class FlashCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void registersAreShownAndSet() {
    Gauge g(
        [](QString& bench) { bench.replace("\"second_status\": true", R"("second_status": true, "status": "0x04")"); });
    useCard(g);
    const Answer shown = g.ctl({"registers", g.sheet()});
    CODE(shown, 0);
    QVERIFY(shown.out.contains("status 1: 0x04 (00000100), read by 0x05, written by 0x01"));
    QVERIFY(shown.out.contains("security lock"));
    QVERIFY(shown.out.contains("once set it stays set"));
    const Answer set = g.ctl({"registers", g.sheet(), "boot-flash", "--set", "status 1[block protection]=0", "--set",
                              "status 2[1]=1", "--json"});
    CODE(set, 0);
    const QJsonArray list = set.json()["registers"].toArray();
    QCOMPARE(list[0].toObject()["value"].toString(), "0x00");
    QCOMPARE(list[1].toObject()["value"].toString(), "0x02");
    QVERIFY(set.err.contains("to undo: --set \"status 1=0x04\""));
    // Each write was a run of its own, and its record says what the register held.
    QVERIFY(recordsWith("\"kind\": \"set-register\"") >= 2);
    QVERIFY(recordsWith("was 0x04 and is 0x00") >= 1);
    const int writes = recordsWith("set-register");
    const Answer forEver = g.ctl({"registers", g.sheet(), "--set", "status 1=0", "--set", "status 2[3]=1"});
    CODE(forEver, 1);
    QVERIFY(forEver.err.contains("sets one-time bits (00001000), which can never be cleared"));
    QVERIFY(forEver.err.contains("add --one-time-bits"));
    QCOMPARE(recordsWith("set-register"), writes);  // nothing before it was written either
    CODE(g.ctl({"registers", g.sheet(), "--set", "status 2[3]=1", "--for-ever"}), 0);
    CODE(g.ctl({"registers", g.sheet(), "--set", "status 2=0"}), 4);  // it took one of two bits
    CODE(g.ctl({"registers", g.sheet(), "--set", "status 2=0"}), 1);  // it took nothing
    for (const char* bad :
         {"status 9=1", "status 1", "status 1=256", "status 1[2..4]=1", "status 1[4..2]=8", "status 1[nothing]=1"})
      CODE(g.ctl({"registers", g.sheet(), "--set", bad}), 2);
  }

  void identityInWordsAndAsACard() {
    Gauge g;
    const Answer words = g.ctl({"identify", g.sheet(), "--tables"});
    CODE(words, 0);
    QVERIFY(words.out.contains("basic table, revision 1.10, at 0x000030, 23 DWORDs"));
    QVERIFY(words.out.contains("quad enable bit"));
    const QJsonObject json = g.ctl({"identify", g.sheet(), "--tables", "--json"}).json();
    QCOMPARE(firstOf(json["tables"])["dwords"].toArray().size(), 23);
    CODE(g.ctl({"identify", g.sheet(), "--card", g.path("new.json")}), 0);
    const flash::PartCard card = flash::readPartCard(g.path("new.json").toStdString());
    QCOMPARE(card.geometry.size, 8u << 20);
    QCOMPARE(card.registers.size(), std::size_t{2});
    useCard(g);
    const Answer byCard = g.ctl({"identify", g.sheet()});
    QVERIFY(byCard.out.contains("unique ID 51A7E2049C3300B6"));
  }

  void aPartWithoutTableIsDescribedByTheLibrary() {
    Gauge g([](QString& bench) { bench.replace("\"sfdp\": \"newest\"", "\"sfdp\": \"none\""); });
    CODE(g.ctl({"identify", g.sheet()}), 1);
    const Answer known = g.ctl({"--library", g.path("parts"), "identify", g.sheet()});
    CODE(known, 0);
    QVERIFY(known.out.contains("described by its part card"));
    QVERIFY(known.out.contains("it is described by the library's card \"Quill Q64\""));
    CODE(g.ctl({"--library", g.path("parts"), "program", g.sheet()}), 0);
  }

  void whatARunDestroyedIsListedAndPutBack() {
    Gauge g;
    CODE(g.ctl({"read", g.sheet(), "-o", g.path("before.bin"), "--twice"}), 0);
    const Answer programmed = g.ctl({"program", g.sheet(), "--json"});
    CODE(programmed, 0);
    const QString copy = programmed.json()["backup"].toString();
    QVERIFY(copy.endsWith(".json"));
    const Answer list = Gauge::run({"copies", "--json"});
    CODE(list, 0);
    QCOMPARE(firstOf(list.json()["copies"])["memory"].toString(), "boot-flash");
    QVERIFY(Gauge::run({"copies"}).out.contains("0x7e4017"));
    CODE(g.ctl({"restore", g.sheet(), "boot-flash", copy, "--dry-run"}), 0);
    const Answer restored = g.ctl({"restore", g.sheet()});
    CODE(restored, 0);
    CODE(g.ctl({"read", g.sheet(), "-o", g.path("after.bin")}), 0);
    QCOMPARE(readFile(g.path("after.bin").toStdString()), readFile(g.path("before.bin").toStdString()));
    CODE(g.ctl({"restore", g.sheet(), "boot-flash", "nothing.json"}), 2);
    CODE(Gauge::run({"copies", "--limit-size", "1024M", "--limit-days", "30"}), 0);
    CODE(Gauge::run({"copies", "--limit-size", "much"}), 2);
    // A smaller part, and one of another kind.
    Gauge small([](QString& bench) {
      bench.replace("\"size\": \"8M\"", "\"size\": \"4M\"")
          .replace(QRegularExpression("\"contents\": \\[[^]]*\\]"), "\"contents\": []");
    });
    CODE(small.ctl({"restore", small.sheet(), "boot-flash", copy}), 1);
    Gauge other([](QString& bench) { bench.replace("0x7E4017", "0x7E4018"); });
    CODE(other.ctl({"restore", other.sheet(), "boot-flash", copy}), 1);
    CODE(other.ctl({"restore", other.sheet(), "boot-flash", copy, "--any-part"}), 0);
  }

  void theBenchIsTried() {
    Gauge g;
    const Answer sound = g.ctl({"trial", g.sheet(), "--reads", "4", "--json"});
    CODE(sound, 0);
    QCOMPARE(sound.json()["result"].toString(), "sound");
    QCOMPARE(sound.json()["trial"].toObject()["reads"].toInt(), 20);
    CODE(g.ctl({"trial", g.sheet(), "--range", "0x7F0000+1"}), 2);  // kept
    CODE(g.ctl({"trial", g.sheet(), "--range", "0x1000+1", "--reads", "1"}), 0);
  }

  void rangesOfEveryKind() {
    Gauge g;
    CODE(g.ctl({"erase", g.sheet(), "--range", "0x800000+1"}), 2);
    for (const char* bad : {"0x2000..0x1000", "0x1000+0", "", "0x1000", "..", "0x0..0xFFFFFFFFFFFFFFFF"})
      CODE(g.ctl({"erase", g.sheet(), "--range", bad}), 2);
    CODE(g.ctl({"erase", g.sheet(), "--listed"}), 2);  // the sheet lists nothing
    CODE(g.ctl({"erase", g.sheet()}), 2);
    // Overlapping ones are one.
    const Answer both = g.ctl({"erase", g.sheet(), "--range", "0x1000..0x2FFF", "--range", "0x2000..0x3FFF", "--json"});
    CODE(both, 0);
    QCOMPARE(firstOf(both.json()["erased"])["from"].toString(), "0x001000");
    QCOMPARE(firstOf(both.json()["erased"])["to"].toString(), "0x003FFF");
    changeSheet(g, "\"bookmarks\"",
                R"("erase": [{"memory": "boot-flash", "from": "0x5000", "to": "0x5FFF"}], "bookmarks")");
    const Answer listed = g.ctl({"erase", g.sheet(), "--listed", "--json"});
    CODE(listed, 0);
    QCOMPARE(firstOf(listed.json()["erased"])["from"].toString(), "0x005000");
    CODE(g.ctl({"blank", g.sheet(), "--range", "0x5000..0x5FFF"}), 0);
    const Answer held = g.ctl({"blank", g.sheet(), "--range", "0x5000..0x6FFF", "--json"});
    CODE(held, 1);
    QVERIFY(held.json()["first"].toObject()["address"].toString().startsWith("0x006"));
  }

  void aReportOfEveryDifference() {
    Gauge g;
    CODE(g.ctl({"verify", g.sheet(), "-o", g.path("report.txt")}), 1);
    const std::string report = readTextFile(g.path("report.txt").toStdString());
    VERIFY_CONTAINS(report, "0x064018");
    VERIFY_CONTAINS(report, "planned");
  }

  void bookmarksAnswerToo() {
    Gauge g;
    changeSheet(g, R"("name": "fallback header"})", R"("name": "fallback header", "expect": "00 11 22"})");
    const Answer a = g.ctl({"program", g.sheet(), "--json"});
    CODE(a, 1);
    QCOMPARE(a.json()["result"].toString(), "mismatch");
    QVERIFY(
        a.json()["message"].toString().contains("The bookmark \"fallback header\" at 0x400000 should hold 00 11 22"));
    QCOMPARE(a.json()["bookmarks"].toArray().size(), 4);
    changeSheet(g, "00 11 22", "0 1");
    const Answer bad = g.ctl({"program", g.sheet()});
    CODE(bad, 2);
    QVERIFY(bad.err.contains("bookmarks[1].expect: should be bytes in digits"));
  }

  void whatThePartProtectsIsClearedOrLeft() {
    Gauge g(
        [](QString& bench) { bench.replace("\"second_status\": true", R"("second_status": true, "status": "0x1C")"); });
    useCard(g);
    const Answer left = g.ctl({"program", g.sheet(), "--leave-protection", "--json"});
    CODE(left, 1);
    QCOMPARE(left.json()["result"].toString(), "refused");
    const Answer dry = g.ctl({"program", g.sheet(), "--dry-run", "--json"});
    QStringList kinds;
    for (const auto& step : dry.json()["steps"].toArray()) kinds += step.toObject()["kind"].toString();
    QVERIFY(kinds.contains("unprotect") && kinds.contains("protect"));
    CODE(g.ctl({"program", g.sheet()}), 0);
    QVERIFY(g.ctl({"registers", g.sheet()}).out.contains("status 1: 0x1C"));
  }
};
IMPRIMO_TEST(FlashCommandsTest);
#include "tst_flash_commands.moc"
