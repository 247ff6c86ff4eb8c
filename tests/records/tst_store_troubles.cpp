// SPDX-License-Identifier: GPL-3.0-or-later
//
// Stores that cannot be reached, written or understood.
#include <signal.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include "core/base/atomic_file.h"
#include "records/schema.h"
#include "tests/records/each_store.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using records::Database;

namespace {

std::string openingSays(const std::string& store) {
  return errorOf([&] { Database(records::parseStoreAddress(store)); });
}

std::optional<ErrorKind> openingIs(const std::string& store) {
  return kindOf([&] { Database(records::parseStoreAddress(store)); });
}

}  // namespace

class StoreTroublesTest : public EachStore {
  Q_OBJECT
 private slots:
  void namesOfStores() {
    COMPARE_TEXT(records::parseStoreAddress("sqlite:a.sqlite").text(), "sqlite:a.sqlite");
    COMPARE_TEXT(records::parseStoreAddress("postgresql:line").connection, "service=line");
    COMPARE_TEXT(records::parseStoreAddress("postgresql:host=db dbname=imprimo").connection, "host=db dbname=imprimo");
    for (const char* wrong : {"", "mysql:x", "sqlite:", "postgresql://db/imprimo"})
      QCOMPARE(kindOf([&] { records::parseStoreAddress(wrong); }), ErrorKind::Usage);
    VERIFY_CONTAINS(errorOf([] { records::parseStoreAddress("postgresql:host=db password=secret"); }),
                    "a password does not belong where everybody can read it");
    records::setStoreSetting("sqlite:/tmp/chosen.sqlite");
    COMPARE_TEXT(records::chosenStore().text(), "sqlite:/tmp/chosen.sqlite");
    qputenv("IMPRIMO_STORE", "sqlite:/tmp/named.sqlite");
    COMPARE_TEXT(records::chosenStore().text(), "sqlite:/tmp/named.sqlite");
    COMPARE_TEXT(records::chosenStore("sqlite:given").text(), "sqlite:given");
    qunsetenv("IMPRIMO_STORE");
    records::setStoreSetting("");
    VERIFY_CONTAINS(records::chosenStore().text(), "imprimo.sqlite");
  }

  void aServerThatIsNotThere() {
    QCOMPARE(openingIs("postgresql:host=/nowhere dbname=x"), ErrorKind::NoStore);
    VERIFY_CONTAINS(openingSays("postgresql:host=/nowhere dbname=x"), "cannot be reached");
  }

  void aFileThatIsNoStore() {
    LedgerWorld world;
    writeFileAtomically(world.file("line.sqlite"), std::string(5000, 'x'));
    QCOMPARE(openingIs(world.store()), ErrorKind::BadFile);
    QCOMPARE(openingIs("sqlite:/proc/nothing/here.sqlite"), ErrorKind::NoStore);
  }

  void aStoreOfANewerVersion_data() { stores(); }
  void aStoreOfANewerVersion() {
    QFETCH(const bool, server);
    const std::string store = freshStore(server);
    Database(records::parseStoreAddress(store)).run("UPDATE imprimo_schema SET version = ?", {99});
    QCOMPARE(openingIs(store), ErrorKind::BadFile);
    VERIFY_CONTAINS(openingSays(store), "is of version 99, and this program knows up to");
  }

  void aFileThatMayNotBeWritten() {
    if (::getuid() == 0 && ::seteuid(65534) != 0) QSKIP("another user cannot be taken on");
    // As root every file can be written: it is tried as nobody.
    const auto back = qScopeGuard([] { static_cast<void>(::seteuid(::getuid())); });
    char folder[] = "/tmp/imprimo-ro-XXXXXX";
    QVERIFY(::mkdtemp(folder) != nullptr);
    const std::string file = std::string(folder) + "/line.sqlite";
    { Database make(records::parseStoreAddress("sqlite:" + file)); }
    ::chmod(file.c_str(), 0444);
    ::chmod(folder, 0555);
    const units::ValueMaker maker(definitionOf(gaugeUnits()), ".");
    const auto reserve = [&] {
      Database database(records::parseStoreAddress("sqlite:" + file));
      records::Ledger(database, maker).reserve(1, {}, freshRun());
    };
    QCOMPARE(kindOf(reserve), ErrorKind::CannotWrite);
    ::chmod(folder, 0755);
    std::filesystem::remove_all(folder);
  }

  void aDiskThatIsFullAtAnyWrite() {
    const units::ValueMaker maker(definitionOf(gaugeUnits()), ".");
    LedgerWorld world;
    std::uint64_t given = 0;
    int refused = 0;
    {
      Database database(records::parseStoreAddress(world.store()));
      records::Ledger(database, maker).reserve(1, {}, freshRun());
      ++given;
    }
    // A limit of the size of files stands for a disk that has room for so many bytes more.
    rlimit before{};
    ::getrlimit(RLIMIT_FSIZE, &before);
    ::signal(SIGXFSZ, SIG_IGN);
    for (rlim_t size = 4096; size < 400'000; size += 3000) {
      const rlimit full{size, before.rlim_max};
      ::setrlimit(RLIMIT_FSIZE, &full);
      try {
        Database database(records::parseStoreAddress(world.store()));
        given += records::Ledger(database, maker).reserve(1, {}, freshRun()).size();
      } catch (const Error& e) {
        ++refused;
        ::setrlimit(RLIMIT_FSIZE, &before);
        QVERIFY2(e.kind() == ErrorKind::CannotWrite || e.kind() == ErrorKind::NoStore, e.what());
      }
      ::setrlimit(RLIMIT_FSIZE, &before);
      Database database(records::parseStoreAddress(world.store()));
      QCOMPARE(records::Ledger(database, maker).list(records::UnitState::Reserved).size(), given);
    }
    QVERIFY(refused > 3);
    QVERIFY(given > 3);
  }

  void aStationHasLeastRights() {
    if (!PostgresServer::isInstalled()) QSKIP("the PostgreSQL server is not installed; ./run test installs it");
    const std::string admin = freshStore(true);
    const std::string database = admin.substr(admin.rfind('=') + 1);
    const units::ValueMaker maker(definitionOf(gaugeUnits()), ".");
    server().sql(database, "CREATE ROLE station1 LOGIN; CREATE ROLE engineer1 LOGIN");
    server().sqlFile(database, IMPRIMO_SOURCE "/records/postgresql-roles.sql");
    server().sql(database, "GRANT imprimo_station TO station1; GRANT imprimo_engineer TO engineer1");
    // Nobody made the tables yet, and a station may not.
    QCOMPARE(openingIs(server().storeAs("station1", database)), ErrorKind::CannotWrite);
    { Database make(records::parseStoreAddress(server().storeAs("engineer1", database))); }
    server().sqlFile(database, IMPRIMO_SOURCE "/records/postgresql-roles.sql");
    Database station(records::parseStoreAddress(server().storeAs("station1", database)));
    records::Ledger ledger(station, maker);
    QCOMPARE(ledger.reserve(2, {}, freshRun()).size(), 2U);
    ledger.settle(1, records::UnitState::Used, "r", "");
    QCOMPARE(kindOf([&] { station.run("DELETE FROM unit"); }), ErrorKind::CannotWrite);
    QCOMPARE(kindOf([&] { station.run("DELETE FROM unit_event"); }), ErrorKind::CannotWrite);
    QCOMPARE(kindOf([&] { station.run("UPDATE unit_event SET why = ''"); }), ErrorKind::CannotWrite);
    QCOMPARE(kindOf([&] { station.run("DROP TABLE unit"); }), ErrorKind::CannotWrite);
    Database engineer(records::parseStoreAddress(server().storeAs("engineer1", database)));
    records::Ledger(engineer, maker).makeVoid(2, "never written");
  }
};

IMPRIMO_TEST(StoreTroublesTest);
#include "tst_store_troubles.moc"
