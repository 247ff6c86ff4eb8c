// SPDX-License-Identifier: GPL-3.0-or-later
//
// Keys, releases and the line from the command line.
#include "core/base/user_folders.h"
#include "tests/ctl/gauge.h"
#include "tests/line/line_bench.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

QString quoted(const std::string& text) {
  return QString::fromStdString(text);
}

/// Lines of JSON, one for each board.
QList<QJsonObject> boards(const Answer& answer) {
  QList<QJsonObject> list;
  for (const QString& line : answer.out.split('\n', Qt::SkipEmptyParts))
    list += QJsonDocument::fromJson(line.toUtf8()).object();
  return list;
}

const char* const kCode =
    ", {\"name\": \"code\", \"memory\": \"boot-flash\", \"at\": \"0x7E0040\", \"bytes\": 8, \"as\": \"text\", "
    "\"from\": {\"given\": true, \"pattern\": \"[A-Z]{2}[0-9]{4}\"}}";

}  // namespace

class LineCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void aReleaseIsMadeShownAndCompared() {
    const ReleasedGauge gauge;
    const auto run = [](const QStringList& words) { return Gauge::run(words); };
    writeFileAtomically(gauge.path("pass"), std::string_view("a passphrase of some length\nmore"));
    const QString sheet = quoted(gauge.path("gauge-rev-b.imprimo")), pass = quoted(gauge.path("pass")),
                  out = quoted(gauge.path("new.imprimo-release"));
    CODE(run({"release", "make", sheet, "-o", out, "--number", "15", "--passphrase-file", pass}), 2);  // no key yet
    CODE(run({"keys", "make", "--passphrase-file", pass}), 2);                                         // no name
    CODE(run({"keys", "make", "--name", "bench 3", "--passphrase-file", pass}), 0);
    CODE(run({"keys", "make", "--name", "bench 3", "--passphrase-file", pass}), 2);  // there is one
    CODE(run({"release", "make", sheet, "-o", out, "--passphrase-file", pass}), 2);  // no number
    const Answer made =
        run({"--json", "release", "make", sheet, "-o", out, "--number", "15", "--units", "500", "--start", "by-key",
             "--after-failed", "Put it into the red tray.", "--passphrase-file", pass});
    CODE(made, 0);
    QCOMPARE(made.json()["line"].toObject()["units"].toInt(), 500);
    const Answer untrusted = run({"release", "show", out});
    CODE(untrusted, 1);
    QVERIFY2(untrusted.err.contains("imprimoctl keys trust"), qPrintable(untrusted.err));
    CODE(run({"keys", "export", quoted(gauge.path("public.json"))}), 0);
    CODE(run({"keys", "trust", quoted(gauge.path("public.json"))}), 0);
    const Answer shown = run({"release", "show", out});
    CODE(shown, 0);
    QVERIFY(shown.out.contains("signed by bench 3") && shown.out.contains("fallback.bin"));
    QVERIFY(run({"keys", "list"}).out.contains("bench 2"));
    const Answer compared = run({"release", "compare", quoted(gauge.file()), out});
    CODE(compared, 1);
    QVERIFY2(compared.out.contains("number: 14, then 15") && compared.out.contains("limit: no limit, then 500 units"),
             qPrintable(compared.out));
    CODE(run({"release", "compare", out, out}), 0);
    // A wrong passphrase signs nothing, and is nowhere to be read.
    writeFileAtomically(gauge.path("pass"), std::string_view("wrong but long enough"));
    const Answer wrong = run(
        {"release", "make", sheet, "-o", quoted(gauge.path("x.release")), "--number", "16", "--passphrase-file", pass});
    CODE(wrong, 1);
    QVERIFY(!std::filesystem::exists(gauge.path("x.release")) && !wrong.err.contains("wrong but long enough"));
    CODE(run({"keys", "forget", "bench 3"}), 0);
    CODE(run({"release", "show", out}), 1);
    CODE(run({"keys", "forget", "bench 3"}), 2);
    CODE(run({"keys", "dance"}), 2);
    CODE(run({"release", "dance", out}), 2);
  }

  void boardsAreDoneOneAfterAnother() {
    const ReleasedGauge gauge;
    SimulatedPlace one(gauge.benchFile(), {}), other(gauge.benchFile(), {});
    const Answer answer = Gauge::run({"--json", "line", quoted(gauge.file()), "--units", "2", "--at",
                                      quoted(one.address()), "--at", quoted(other.address())});
    CODE(answer, 0);
    const auto done = boards(answer);
    QCOMPARE(done.size(), 4);
    QSet<int> units;
    for (const QJsonObject& board : done) {
      QCOMPARE(board["result"].toString(), QString("good"));
      units.insert(board["unit"].toObject()["id"].toInt());
      QVERIFY(board["unit"].toObject()["fields"].toObject()["key"].toString().startsWith("hash:"));
    }
    QCOMPARE(units, QSet<int>({1, 2, 3, 4}));
  }

  void codesComeFromAFile() {
    const ReleasedGauge gauge({}, "1999", kCode);
    SimulatedPlace place(gauge.benchFile(), {});
    writeFileAtomically(gauge.path("codes"), std::string_view("nonsense\nAB0001\nAB0002\n"));
    const Answer answer = Gauge::run({"--json", "line", quoted(gauge.file()), "--at", quoted(place.address()),
                                      "--codes", quoted(gauge.path("codes"))});
    CODE(answer, 0);  // it ends where there are no more
    QVERIFY2(answer.err.contains("does not fit the pattern"), qPrintable(answer.err));
    const auto done = boards(answer);
    QCOMPARE(done.size(), 2);
    QCOMPARE(done[1]["unit"].toObject()["fields"].toObject()["code"].toString(), QString("AB0002"));
  }

  void whatStopsALineHasItsExitCode() {
    release::LineRules rules;
    rules.signOn = true;
    const ReleasedGauge gauge(rules, "1000");
    sim::FixtureModel boards_;
    SimulatedPlace place(gauge.benchFile(), boards_);
    const QString file = quoted(gauge.file()), at = quoted(place.address());
    CODE(Gauge::run({"line", file, "--at", at, "--units", "1"}), 2);  // who works there?
    CODE(Gauge::run({"line", file, "--at", at, "--units", "1", "--operator", "K7"}), 0);
    const Answer exhausted = Gauge::run({"--json", "line", file, "--at", at, "--units", "1", "--operator", "K7"});
    CODE(exhausted, 1);
    QCOMPARE(boards(exhausted).last()["result"].toString(), QString("halted"));
    CODE(Gauge::run({"line", file, "--at", "tcp:127.0.0.1:1", "--units", "1", "--operator", "K7"}), exhausted.code);
    CODE(Gauge::run({"--store", "postgresql:host=/nowhere/at/all", "line", file, "--at", at, "--operator", "K7"}), 3);
    Bytes bytes = readFile(gauge.file());
    bytes[bytes.size() / 2] ^= 1;
    writeFileAtomically(gauge.path("changed"), ByteSpan(bytes));
    CODE(Gauge::run({"line", quoted(gauge.path("changed")), "--at", at, "--operator", "K7"}), 2);
    release::trustedKeys().remove("bench 2");
    CODE(Gauge::run({"line", file, "--at", at, "--operator", "K7"}), 1);
  }
};

IMPRIMO_TEST(LineCommandsTest);
#include "tst_line_commands.moc"
