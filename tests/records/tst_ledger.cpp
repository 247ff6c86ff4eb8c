// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/atomic_file.h"
#include "records/secret_hash.h"
#include "records/set_aside.h"
#include "records/store_seams.h"
#include "tests/records/each_store.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using records::Database;
using records::Ledger;
using records::UnitState;

namespace {

units::ValueMaker makerOf(const std::string& json, const std::filesystem::path& folder = ".") {
  return {definitionOf(json), folder};
}

}  // namespace

class LedgerTest : public EachStore {
  Q_OBJECT
 private slots:
  void unitsAreGivenInOrderAndOnce_data() { stores(); }
  void unitsAreGivenInOrderAndOnce() {
    QFETCH(const bool, server);
    Database database(records::parseStoreAddress(freshStore(server)));
    const units::ValueMaker maker = makerOf(gaugeUnits());
    Ledger ledger(database, maker);
    QCOMPARE(ledger.next(), 1U);
    QCOMPARE(ledger.list().size(), 0U);
    const auto first = ledger.reserve(3, {}, freshRun());
    QCOMPARE(first.size(), 3U);
    QCOMPARE(first[2].fields.at("serial"), "1002");
    QVERIFY(!first[2].fields.contains("key"));
    QCOMPARE(ledger.next(), 4U);
    ledger.settle(1, UnitState::Used, "r1", "");
    ledger.settle(2, UnitState::Failed, "r2", "a byte did not take");
    ledger.makeVoid(3, "never used");
    QCOMPARE(ledger.reserve(1, {}, freshRun())[0].id, 4U);
    QCOMPARE(ledger.list(UnitState::Used).size(), 1U);
    QCOMPARE(ledger.list().size(), 4U);
    const auto events = ledger.events(2);
    QCOMPARE(events.size(), 2U);
    QCOMPARE(events[1].why, "a byte did not take");
    QVERIFY(!events[1].station.empty() && !events[1].process.empty());
    VERIFY_CONTAINS(errorOf([&] { ledger.makeVoid(1, "x"); }),
                    "unit 1 is used, and only a reservation can be made void");
    VERIFY_CONTAINS(errorOf([&] { ledger.makeVoid(99, "x"); }), "has no unit 99");
  }

  void thereIsAnEnd_data() { stores(); }
  void thereIsAnEnd() {
    QFETCH(const bool, server);
    Database database(records::parseStoreAddress(freshStore(server)));
    const units::ValueMaker maker = makerOf(gaugeUnits("1004"));
    Ledger ledger(database, maker);
    QCOMPARE(kindOf([&] { ledger.reserve(6, {}, freshRun()); }), ErrorKind::Refused);
    QCOMPARE(ledger.list().size(), 0U);
    QCOMPARE(ledger.reserve(4, {}, freshRun()).size(), 4U);
    VERIFY_CONTAINS(errorOf([&] { ledger.reserve(2, {}, freshRun()); }), "has not 2 more units: serial ends at 1004");
    QCOMPARE(ledger.list().size(), 4U);
    ledger.reserve(1, {}, freshRun());
    QCOMPARE(errorOf([&] { ledger.reserve(1, {}, freshRun()); }),
             "ledger gauge-2026 has no more units: serial ends at 1004");
    QCOMPARE(errorOf([&] { ledger.next(); }), "ledger gauge-2026 has no more units: serial ends at 1004");
  }

  void limitsOfTheSheetHold() {
    Database database(records::parseStoreAddress(freshStore(false)));
    std::string json = gaugeUnits();
    json.insert(json.size() - 1, R"(, "limit": {"units": 2, "until": "2031-04-05"})");
    const units::ValueMaker maker = makerOf(json);
    Ledger ledger(database, maker);
    units::Inputs inputs;
    inputs.today = std::chrono::sys_days{std::chrono::year{2031} / 4 / 5};
    ledger.reserve(2, inputs, freshRun());
    VERIFY_CONTAINS(errorOf([&] { ledger.reserve(1, inputs, freshRun()); }), "the sheet allows 2 units");
    inputs.today += std::chrono::days(1);
    VERIFY_CONTAINS(errorOf([&] { ledger.reserve(1, inputs, freshRun()); }), "until 2031-04-05, and that is over");
  }

  void itsFieldsAreFixedByTheFirstReservation_data() { stores(); }
  void itsFieldsAreFixedByTheFirstReservation() {
    QFETCH(const bool, server);
    Database database(records::parseStoreAddress(freshStore(server)));
    const units::ValueMaker maker = makerOf(gaugeUnits()), other = makerOf(gaugeUnits("2999"));
    Ledger(database, other);  // nothing was reserved yet
    Ledger(database, maker).reserve(1, {}, freshRun());
    QCOMPARE(kindOf([&] { Ledger(database, other); }), ErrorKind::Usage);
    VERIFY_CONTAINS(errorOf([&] { Ledger(database, other); }), "serial: \"from\" is");
    VERIFY_CONTAINS(errorOf([&] { Ledger(database, other); }), "\"to\":2999");
    Ledger(database, maker).reserve(1, {}, freshRun());
  }

  void givenAndRandomValuesAreNeverGivenTwice_data() { stores(); }
  void givenAndRandomValuesAreNeverGivenTwice() {
    QFETCH(const bool, server);
    Database database(records::parseStoreAddress(freshStore(server)));
    const units::ValueMaker maker = makerOf(gaugeUnits("1999", R"(,
      {"name": "code", "memory": "boot-flash", "at": "0x7E0050", "bytes": 8, "as": "text", "from": {"given": true}},
      {"name": "mark", "memory": "boot-flash", "at": "0x7E0058", "bytes": 1, "as": "bytes", "from": {"random": true}})"));
    Ledger ledger(database, maker);
    units::Inputs inputs;
    inputs.given = {{"code", "AB-1"}};
    int draws = 0;
    inputs.random = [&](std::size_t) { return Bytes{static_cast<std::uint8_t>(draws++ / 2)}; };
    QCOMPARE(ledger.reserve(1, inputs, freshRun())[0].fields.at("mark"), "00");
    QCOMPARE(errorOf([&] { ledger.reserve(1, inputs, freshRun()); }), "code AB-1 is that of unit 1 already");
    inputs.given["code"] = "AB-2";
    draws = 1;
    QCOMPARE(ledger.reserve(1, inputs, freshRun())[0].fields.at("mark"), "01");  // 00 was drawn, and is taken
    QVERIFY(ledger.withValue(*maker.definition().field("code"), "AB-2").has_value());
    QVERIFY(!ledger.withValue(*maker.definition().field("code"), "AB-3").has_value());
    QCOMPARE(ledger.withValue(*maker.definition().field("serial"), "1001")->id, 2U);
  }

  void aListThatWasChangedGivesNothingTwice() {
    LedgerWorld world;
    const auto list = world.file("list.csv");
    writeFileAtomically(list, "mac\n02AABB000001\n02AABB000002\n02AABB000003\n");
    const std::string json =
        R"({"ledger": "l", "fields": [{"name": "mac", "memory": "boot-flash", "at": 0, "as": "mac", "from": {"list": "list.csv", "column": "mac"}}]})";
    Database database(records::parseStoreAddress(world.store()));
    const units::ValueMaker before = makerOf(json, world.folder.path().toStdString());
    Ledger(database, before).reserve(1, {}, freshRun());
    writeFileAtomically(list, "mac\n02AABB000009\n02AABB000001\n02AABB000002\n");
    const units::ValueMaker after = makerOf(json, world.folder.path().toStdString());
    VERIFY_CONTAINS(errorOf([&] { Ledger(database, after).reserve(1, {}, freshRun()); }),
                    "mac 02AABB000001 is that of unit 1 already");
    QCOMPARE(Ledger(database, before).reserve(2, {}, freshRun()).size(), 2U);
    VERIFY_CONTAINS(errorOf([&] { Ledger(database, before).reserve(1, {}, freshRun()); }),
                    "mac has 3 values in its list");
  }

  void aSecretIsOnlyAHash() {
    LedgerWorld world;
    const units::ValueMaker maker = makerOf(gaugeUnits());
    {
      Database database(records::parseStoreAddress(world.store()));
      Ledger ledger(database, maker);
      ledger.reserve(1, {}, freshRun());
      units::Inputs inputs;
      inputs.secretRandom = [](std::size_t count) { return Bytes(count, 0xC7); };
      ledger.complete(1, maker.make(0, inputs), "board 1", "r");
      const std::string kept = ledger.unit(1).fields.at("key");
      QVERIFY2(kept.starts_with("hash:"), kept.c_str());
      QCOMPARE(kept, records::secretHash(std::string(32, '0').replace(0, 32, "C7C7C7C7C7C7C7C7C7C7C7C7C7C7C7C7")));
      QCOMPARE(ledger.onBoard("board 1")->id, 1U);
      QVERIFY(!ledger.onBoard("board 2").has_value());
      ledger.complete(1, maker.make(0, inputs), "board 1", "r");
    }
    for (const auto& entry : std::filesystem::directory_iterator(world.folder.path().toStdString()))
      QVERIFY2(readTextFile(entry.path()).find("C7C7C7C7") == std::string::npos, entry.path().c_str());
  }

  void aReservationOfAStationThatWentAwayStays_data() { stores(); }
  void aReservationOfAStationThatWentAwayStays() {
    QFETCH(const bool, server);
    const std::string store = freshStore(server);
    const units::ValueMaker maker = makerOf(gaugeUnits());
    {
      Database away(records::parseStoreAddress(store));
      Ledger(away, maker).reserve(1, {}, freshRun());
    }
    Database database(records::parseStoreAddress(store));
    Ledger ledger(database, maker);
    QCOMPARE(ledger.reserve(1, {}, freshRun())[0].id, 2U);
    QCOMPARE(ledger.list(UnitState::Reserved).size(), 2U);
    ledger.makeVoid(1, "the station burned down");
    QCOMPARE(ledger.reserve(1, {}, freshRun())[0].id, 3U);
  }

  void aStationGoesOnWithWhatWasSetAside() {
    if (!PostgresServer::isInstalled()) QSKIP("the PostgreSQL server is not installed; ./run test installs it");
    const std::string store = freshStore(true);
    const units::ValueMaker maker = makerOf(gaugeUnits());
    {
      Database database(records::parseStoreAddress(store));
      Ledger ledger(database, maker);
      ledger.reserve(1, {}, freshRun());
      records::setAside(ledger, 3);
      QCOMPARE(ledger.reserve(1, {}, freshRun())[0].id, 5U);  // those of the station are nobody else's
    }
    QCOMPARE(records::leftAside("gauge-2026"), 3U);
    server().kill();
    {
      Database here(records::setAsideStore());
      Ledger ledger(here, maker);
      ledger.tell(records::letWait);
      units::Inputs inputs;
      inputs.secretRandom = units::randomBytes;
      for (std::uint64_t id = 2; id <= 4; ++id) {
        QCOMPARE(ledger.next(), id);
        const auto unit = ledger.reserve(1, {}, freshRun()).front();
        QCOMPARE(unit.fields.at("serial"), std::to_string(999 + id));
        ledger.complete(id, maker.make(id - 1, inputs), "board", "r" + std::to_string(id));
        ledger.settle(id, id == 3 ? UnitState::Failed : UnitState::Used, "r" + std::to_string(id), "while it was away");
      }
      QCOMPARE(errorOf([&] { ledger.reserve(1, {}, freshRun()); }),
               "no more units of ledger gauge-2026 were set aside for this station");
      QCOMPARE(kindOf([&] { ledger.next(); }), ErrorKind::Refused);
    }
    server().start();
    Database database(records::parseStoreAddress(store));
    Ledger(database, maker).makeVoid(2, "nobody heard of the station");
    QVERIFY(records::sendWaiting(database) >= 6);
    QCOMPARE(records::sendWaiting(database), 0U);
    Ledger ledger(database, maker);
    // What happened counts, and not what was thought to have.
    QCOMPARE(ledger.unit(2).state, UnitState::Used);
    QCOMPARE(ledger.events(2).back().why, "made void meanwhile; while it was away");
    QCOMPARE(ledger.unit(3).state, UnitState::Failed);
    QVERIFY(ledger.unit(4).fields.at("key").starts_with("hash:"));
    QCOMPARE(ledger.events(4).size(), 2U);
    QCOMPARE(ledger.events(4)[1].why, "while it was away");
    QCOMPARE(ledger.list(UnitState::Reserved).size(), 2U);
  }

  void aServerThatComesBackLosesNothing() {
    if (!PostgresServer::isInstalled()) QSKIP("the PostgreSQL server is not installed; ./run test installs it");
    Database database(records::parseStoreAddress(freshStore(true)));
    const units::ValueMaker maker = makerOf(gaugeUnits());
    Ledger ledger(database, maker);
    ledger.reserve(1, {}, freshRun());
    server().kill();
    server().start();
    QCOMPARE(ledger.reserve(1, {}, freshRun())[0].id, 2U);
    server().kill();
    server().start();
    ledger.settle(2, UnitState::Used, "r", "");
    QCOMPARE(ledger.list(UnitState::Used).size(), 1U);
    QCOMPARE(ledger.events(2).size(), 2U);
  }
};

IMPRIMO_TEST(LedgerTest);
#include "tst_ledger.moc"
