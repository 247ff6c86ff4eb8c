// SPDX-License-Identifier: GPL-3.0-or-later
//
// Units from the command line: numbers that go in, boards that come back, and what ends a run in the middle.
#include "core/base/json.h"
#include "records/ledger.h"
#include "records/record_store.h"
#include "tests/ctl/float_sensor.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

constexpr std::uint64_t kAt = 0x7E0000;

/// The demo's sheet with units, each test with a store of its own.
class UnitGauge : public Gauge {
 public:
  explicit UnitGauge(const std::string& more = "", const std::string& last = "1999",
                     const std::function<void(QString&)>& change = {})
      : Gauge(change) {
    auto json = nlohmann::ordered_json::parse(readTextFile(sheet().toStdString()));
    json["units"] = nlohmann::ordered_json::parse(R"x({"ledger": "gauge-2026", "fields": [
      {"name": "serial", "memory": "boot-flash", "at": "0x7E0000", "bytes": 4, "as": "integer", "order": "low-first",
       "from": {"count": "1000", "to": ")x" + last +
                                                  R"x("}},
      {"name": "label", "memory": "boot-flash", "at": "0x7E0010", "bytes": 16, "as": "text", "from": {"text": "RG-{serial:06}"}},
      {"name": "key", "memory": "boot-flash", "at": "0x7E0020", "bytes": 16, "as": "bytes", "secret": true, "from": {"random": true}})x" +
                                                  more + "]}");
    write("gauge-rev-b.imprimo", QByteArray::fromStdString(json.dump(2)));
  }
  Answer program(QStringList more = {"--unit", "next"}) {
    return ctl(QStringList{"--store", store(), "--json", "program", sheet()} + more);
  }
  QString store() const { return "sqlite:" + path("line.sqlite"); }
  Bytes cells(std::uint64_t at, std::size_t size) {
    return server().with([&](sim::Bench& bench) {
      Bytes bytes(size);
      for (std::size_t i = 0; i < size; ++i) bytes[i] = bench.flash("boot-flash").cells().get(at + i);
      return bytes;
    });
  }
  records::UnitRow row(std::uint64_t id) {
    records::Database database(records::parseStoreAddress(store().toStdString()));
    const sheet::Sheet read = sheet::readSheet(sheet().toStdString());
    const units::ValueMaker maker(*read.units, read.folder());
    return records::Ledger(database, maker).unit(id);
  }
};

}  // namespace

class UnitCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void eachBoardGetsItsNumbers() {
    UnitGauge g;
    const Answer first = g.program();
    CODE(first, 0);
    const QJsonObject unit = first.json()["unit"].toObject();
    QCOMPARE(unit["id"].toInt(), 1);
    QCOMPARE(unit["state"].toString(), "used");
    QCOMPARE(unit["fields"].toObject()["serial"].toString(), "1000");
    QCOMPARE(g.cells(kAt, 4), (Bytes{0xE8, 0x03, 0, 0}));
    QCOMPARE(g.cells(kAt + 0x10, 10), (Bytes{'R', 'G', '-', '0', '0', '1', '0', '0', '0', 0}));
    // The key is on the board and nowhere else.
    const Bytes key = g.cells(kAt + 0x20, 16);
    std::string digits;
    for (const std::uint8_t byte : key) digits += fmt::format("{:02X}", byte);
    QVERIFY(unit["fields"].toObject()["key"].toString().startsWith("hash:"));
    QVERIFY(!first.out.contains(QString::fromStdString(digits)));
    QVERIFY(readTextFile(g.path("line.sqlite").toStdString()).find(digits) == std::string::npos);
    QCOMPARE(g.row(1).state, records::UnitState::Used);

    const Answer records = g.ctl({"--store", g.store(), "--json", "records", "list", "--unit", "1000"});
    CODE(records, 0);
    QVERIFY(!records.json()["records"].toArray().isEmpty());
    const QJsonObject kept = records.json()["records"].toArray()[0].toObject();
    QCOMPARE(kept["unit"].toObject()["id"].toInt(), 1);
    const Answer shown = g.ctl({"--store", g.store(), "records", "show", kept["id"].toString().left(8)});
    CODE(shown, 0);
    QVERIFY(shown.out.contains("planned_sha256") && shown.out.contains("\"serial\": \"1000\""));
    QVERIFY(!shown.out.contains(QString::fromStdString(digits)));

    // The same board comes back and keeps what it has, its key too.
    const Answer again = g.program();
    CODE(again, 0);
    QCOMPARE(again.json()["unit"].toObject()["id"].toInt(), 1);
    QCOMPARE(g.cells(kAt + 0x20, 16), key);
    QVERIFY(again.err.contains("which came back"));
    const Answer other = g.program({"--unit", "next", "--renumber"});
    CODE(other, 0);
    QCOMPARE(other.json()["unit"].toObject()["id"].toInt(), 2);
    QCOMPARE(g.cells(kAt, 2), (Bytes{0xE9, 0x03}));
    CODE(g.ctl({"--store", g.store(), "verify", g.sheet(), "--unit", "2"}), 0);
    CODE(g.ctl({"--store", g.store(), "verify", g.sheet(), "--unit", "1"}), 1);
  }

  /// A word of the core is of the unit that the board is, and not of the one that would be next.
  void aWordOfTheCoreIsOfTheSameUnit() {
    FloatSensor s({}, [](QString& text) {
      auto json = nlohmann::ordered_json::parse(text.toStdString());
      json["units"] = nlohmann::ordered_json::parse(R"({"ledger": "float", "fields": [
        {"name": "serial", "memory": "program", "at": "0x3E000", "bytes": 4, "from": {"count": "1", "to": "9"}},
        {"name": "board", "core": "sensor", "word": "start", "field": "board", "bytes": 1, "from": {"count": "7", "to": "14"}}]})");
      text = QString::fromStdString(json.dump(2));
    });
    const QString store = "sqlite:" + s.path("line.sqlite");
    const auto start = [&] { return s.server().with([](sim::Bench& b) { return b.board().chip().words()->start(); }); };
    CODE(s.ctl({"program", "--unit", "next", "--store", store}), 0);
    QCOMPARE(start(), 0xFFFFFF7FU);
    const Answer again = s.ctl({"program", "--unit", "next", "--store", store});
    CODE(again, 0);
    QVERIFY2(again.err.contains("which came back"), qPrintable(again.err));
    QCOMPARE(start(), 0xFFFFFF7FU);
    CODE(s.ctl({"program", "--unit", "next", "--renumber", "--store", store}), 0);
    QCOMPARE(start(), 0xFFFFFF8FU);
  }

  void theLedgerFromTheCommandLine() {
    UnitGauge g("", "1002");
    const auto ledger = [&](const QStringList& words) {
      return Gauge::run(QStringList{"--store", g.store(), "ledger", g.sheet()} + words);
    };
    const Answer reserved = ledger({"reserve", "2", "--json"});
    CODE(reserved, 0);
    const QStringList lines = reserved.out.trimmed().split('\n');
    QCOMPARE(lines.size(), 2);
    QCOMPARE(QJsonDocument::fromJson(lines[1].toUtf8())["id"].toInt(), 2);
    QCOMPARE(QJsonDocument::fromJson(lines[1].toUtf8())["fields"]["label"].toString(), "RG-001001");
    const Answer tooMany = ledger({"reserve", "2"});
    CODE(tooMany, 1);
    QVERIFY(tooMany.err.contains("has not 2 more units: serial ends at 1002"));
    CODE(ledger({"void", "1", "--why", "the label was torn"}), 0);
    CODE(ledger({"void", "1", "--why", "again"}), 1);
    CODE(ledger({"void", "1"}), 2);
    CODE(ledger({"void", "9", "--why", "x"}), 2);
    CODE(ledger({"count"}), 2);
    const Answer list = ledger({"list", "--state", "void", "--json"});
    CODE(list, 0);
    const QJsonArray units = list.json()["units"].toArray();
    QCOMPARE(units.size(), 1);
    QCOMPARE(units[0].toObject()["state"].toString(), "void");
    QVERIFY(!units[0].toObject()["time"].toString().isEmpty() && !units[0].toObject()["station"].toString().isEmpty());
    CODE(ledger({"list", "--state", "new"}), 2);
    // A reservation is used by its number.
    const Answer used = g.program({"--unit", "2"});
    CODE(used, 0);
    QCOMPARE(used.json()["unit"].toObject()["state"].toString(), "used");
    CODE(g.program({"--unit", "2"}), 1);  // not twice
    CODE(g.program({"--unit", "1"}), 1);  // void
  }

  void aRefusalSpendsNoNumberAndAFailureDoes() {
    UnitGauge g;
    CODE(g.program({"--unit", "soon"}), 2);
    CODE(g.program({"--unit", "next", "--field", "serial=5"}), 2);
    CODE(g.program({"boot-flash", "--unit", "next"}), 2);
    CODE(Gauge::run({"--store", "postgresql:host=/nowhere", "program", g.sheet(), "--unit", "next"}), 3);
    CODE(Gauge::run({"--store", "mysql:x", "program", g.sheet(), "--unit", "next"}), 2);
    const Answer dry = g.program({"--unit", "next", "--dry-run"});
    CODE(dry, 0);
    QCOMPARE(dry.json()["unit"].toObject()["id"].toInt(), 1);
    const Answer list = Gauge::run({"--store", g.store(), "--json", "ledger", g.sheet(), "list"});
    QCOMPARE(list.json()["units"].toArray().size(), 0);
    // No part can be erased by not erasing: it is known before anything is changed.
    CODE(g.program(), 0);
    CODE(g.program({"--unit", "next", "--renumber", "--no-erase"}), 1);
    QCOMPARE(g.row(2).state, records::UnitState::Void);
    QCOMPARE(g.program({"--unit", "next", "--renumber"}).code, 0);
    QCOMPARE(g.row(3).state, records::UnitState::Used);
  }

  void whatIsGivenByHandIsAskedFor() {
    UnitGauge g(R"(, {"name": "code", "memory": "boot-flash", "at": "0x7E0040", "bytes": 8, "as": "text",
                   "from": {"given": true, "pattern": "[A-Z]{2}[0-9]{4}"}})");
    const Answer missing = g.program();
    CODE(missing, 2);
    QVERIFY(missing.err.contains("field code of the unit is given by hand, and was not"));
    CODE(g.program({"--unit", "next", "--field", "code=ab"}), 2);
    const Answer given = g.program({"--unit", "next", "--field", "code=AB1234"});
    CODE(given, 0);
    QCOMPARE(g.cells(kAt + 0x40, 8), (Bytes{'A', 'B', '1', '2', '3', '4', 0, 0}));
    const Answer taken = g.program({"--unit", "next", "--renumber", "--field", "code=AB1234"});
    CODE(taken, 1);
    QVERIFY(taken.err.contains("code AB1234 is that of unit 1 already"));
  }

  void fieldsThatLieInTheWayAreRefused() {
    const auto said = [](const std::string& more) {
      UnitGauge g(more);
      const Answer answer = g.program();
      return QString("%1 %2").arg(answer.code).arg(answer.err);
    };
    const QString kept =
        said(R"(, {"name": "x", "memory": "boot-flash", "at": "0x7F0000", "bytes": 4, "from": {"count": 1, "to": 9}})");
    QVERIFY2(kept.startsWith("2 ") && kept.contains("lies in the kept range"), qPrintable(kept));
    const QString file =
        said(R"(, {"name": "x", "memory": "boot-flash", "at": "0x10", "bytes": 4, "from": {"count": 1, "to": 9}})");
    QVERIFY2(file.startsWith("2 ") && file.contains("field x of a unit is at 0x000010"), qPrintable(file));
    const QString far = said(
        R"(, {"name": "x", "memory": "boot-flash", "at": "0xFFFFFF00", "bytes": 4, "from": {"count": 1, "to": 9}})");
    QVERIFY2(far.startsWith("2 ") || far.startsWith("1 "), qPrintable(far));
    UnitGauge g;
    QVERIFY(Gauge::run({"--store", g.store(), "ledger", g.sheet(), "reserve"}).code == 0);
    QString text = QString::fromStdString(readTextFile(g.sheet().toStdString()));
    g.write("gauge-rev-b.imprimo", text.replace("\"1000\"", "\"2000\"").replace("\"1999\"", "\"2999\"").toUtf8());
    const Answer other = g.program();
    CODE(other, 2);
    QVERIFY2(other.err.contains("was begun with other fields: serial: \"from\" is"), qPrintable(other.err));
  }

  void recordsAreKeptAndGiven() {
    UnitGauge g;
    CODE(g.ctl({"--store", g.store(), "identify", g.sheet()}), 0);
    CODE(g.program(), 0);
    const auto records = [&](const QStringList& words) {
      return Gauge::run(QStringList{"--store", g.store(), "records"} + words);
    };
    CODE(records({"list"}), 0);
    CODE(records({"list", "--from", "yesterday"}), 2);
    CODE(records({"show", "nothing-like-it"}), 2);
    CODE(records({"export", g.path("all.csv")}), 0);
    CODE(records({"export", g.path("all.json")}), 0);
    CODE(records({"backup", g.path("backup.sqlite")}), 0);
    const auto other = [&](const QStringList& words) {
      return Gauge::run(QStringList{"--store", "sqlite:" + g.path("other.sqlite"), "--json", "records"} + words);
    };
    QVERIFY(other({"import", g.path("all.json")}).json()["imported"].toInt() > 0);
    QCOMPARE(other({"import", g.path("all.json")}).json()["imported"].toInt(), 0);
    CODE(other({"restore", g.path("backup.sqlite")}), 1);
    CODE(other({"remove"}), 2);
    QVERIFY(other({"remove", "--before", "2999-01-01", "--why", "a test"}).json()["removed"].toInt() > 0);
    QCOMPARE(other({"list"}).json()["count"].toInt(), 0);
    CODE(Gauge::run({"--store", "sqlite:" + g.path("third.sqlite"), "records", "restore", g.path("backup.sqlite")}), 0);
    const Answer third =
        Gauge::run({"--store", "sqlite:" + g.path("third.sqlite"), "--json", "ledger", g.sheet(), "list"});
    QCOMPARE(third.json()["units"].toArray().size(), 1);
  }
};

IMPRIMO_TEST(UnitCommandsTest);
#include "tst_unit_commands.moc"
