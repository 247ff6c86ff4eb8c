// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDir>
#include <QDirIterator>
#include <QFile>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <thread>

#include "core/base/input_file.h"
#include "core/memory/copy_of.h"
#include "core/run/job.h"
#include "core/run/run_notes.h"
#include "core/store/copy_store.h"
#include "core/store/folder_notes.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::flash;
using namespace imprimo::plan;
using namespace imprimo::memory;
using namespace imprimo::run;
using namespace imprimo::store;
using namespace imprimo::test;

namespace {

const CopyOf kPart{"boot flash/1", "River gauge", "0x7e4014", 1, 1 << 20};

MemoryImage noise(unsigned seed, std::uint64_t at, std::size_t size) {
  std::mt19937 random(seed);
  MemoryImage image;
  image.write(at, randomBytes(random, size));
  return image;
}

QStringList piecesIn(const QString& folder) {
  QStringList files;
  for (QDirIterator it(folder + "/pieces", {"*.z"}, QDir::Files, QDirIterator::Subdirectories); it.hasNext();)
    files << it.next();
  return files;
}

}  // namespace

class CopiesTest : public QObject {
  Q_OBJECT
 private slots:
  void aCopyComesBackAsItWas() {
    QTemporaryDir folder;
    CopyStore store(folder.filePath("deep/copies").toStdString());
    MemoryImage image = noise(1, 0x12345, 200'000);
    image.write(0x80000, Bytes(3, 0x5A));
    const auto first = store.save(kPart, image);
    const auto second = store.save(kPart, image);
    QVERIFY(first != second);
    VERIFY_CONTAINS(first.filename().string(), "boot-flash-1");
    const StoredCopy copy = store.find(first);
    QVERIFY(store.contents(copy) == image);
    QCOMPARE(copy.of.memory, kPart.memory);
    QCOMPARE(copy.of.size, kPart.size);
    QCOMPARE(copy.bytes(), 200'003u);
    QVERIFY(store.contents(store.find(second.filename())) == image);  // by its name alone, too
    QCOMPARE(store.list().size(), 2u);
  }

  void whatIsTheSameIsThereOnce() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    MemoryImage image = noise(2, 0, 4 * 65536);
    store.save(kPart, image);
    QCOMPARE(piecesIn(folder.path()).size(), 4);
    image.write(0x10005, Bytes{1, 2, 3});
    store.save(kPart, image);
    QCOMPARE(piecesIn(folder.path()).size(), 5);
    MemoryImage blank;
    blank.write(0, Bytes(65536, 0x00));
    const std::uint64_t before = store.bytesOnDisk();
    store.save(kPart, blank);
    QVERIFY(store.bytesOnDisk() - before < 1500);  // compressed
  }

  void damageIsFoundAndNamed() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    const StoredCopy copy = store.find(store.save(kPart, noise(3, 0x20000, 1000)));
    const QString piece = piecesIn(folder.path()).first();
    QFile file(piece);
    QVERIFY(file.open(QIODevice::ReadWrite));
    const QByteArray good = file.readAll();
    for (int i = 0; i < good.size(); i += 97) {
      QByteArray bad = good;
      bad[i] = static_cast<char>(bad[i] ^ 0x10);
      file.seek(0);
      file.write(bad);
      file.flush();
      const std::string error = errorOf([&] { store.contents(copy); });
      VERIFY_CONTAINS(error, "does not hold what its name says; the copy at 0x020000 is damaged");
    }
    file.remove();
    QCOMPARE(kindOf([&] { store.contents(copy); }), std::optional{ErrorKind::BadFile});
  }

  void listsThatCannotBeReadAreNamedAndDoNoHarm() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    store.save(kPart, noise(4, 0, 100));
    for (
        const char* text :
        {"", "{", "[]", R"({"imprimo_copy": 2})",
         R"({"imprimo_copy": 1, "made": "x", "memory": "m", "sheet": "s", "part": "p", "bank": 1, "size": 10, "pieces": [{"at": 5, "length": 6, "sha256": "00"}]})"}) {
      QFile bad(folder.filePath("20000101-000000-bad.json"));
      QVERIFY(bad.open(QIODevice::WriteOnly));
      bad.write(text);
      bad.close();
      std::vector<std::string> unreadable;
      QCOMPARE(store.list(&unreadable).size(), 1u);
      QCOMPARE(unreadable.size(), 1u);
      QCOMPARE(kindOf([&] { store.find("20000101-000000-bad.json"); }), std::optional{ErrorKind::BadFile});
    }
    store.setLimits({0, 1});
    store.prune();
    QCOMPARE(piecesIn(folder.path()).size(), 1);
  }

  void theOldestGoFirstAndTheNewestNever() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    std::vector<std::filesystem::path> lists;
    for (unsigned i = 0; i < 5; ++i) {
      lists.push_back(store.save(kPart, noise(10 + i, 0, 60'000)));
    }
    store.setLimits({200'000, 365});
    QCOMPARE(store.prune(), std::size_t{2});
    QCOMPARE(piecesIn(folder.path()).size(), 3);
    QVERIFY(!std::filesystem::exists(lists[0]) && !std::filesystem::exists(lists[1]));
    QVERIFY(store.contents(store.find(lists[2])) == noise(12, 0, 60'000));
    store.setLimits({0, 365});
    store.prune();
    QCOMPARE(store.list().size(), 1u);
    QVERIFY(store.contents(store.list()[0]) == noise(14, 0, 60'000));
    QCOMPARE(store.limits().bytes, std::uint64_t{0});
  }

  void whatIsTooOldGoes() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    const auto old = store.save(kPart, noise(20, 0, 100));
    QFile file(QString::fromStdString(old.string()));
    QVERIFY(file.open(QIODevice::ReadWrite));
    QByteArray text = file.readAll();
    const int at = text.indexOf("\"made\": \"") + 9;
    text.replace(at, 4, "2001");
    file.resize(0);
    file.seek(0);
    file.write(text);
    file.close();
    store.save(kPart, noise(21, 0, 100));
    QCOMPARE(store.list().size(), 1u);
    QCOMPARE(piecesIn(folder.path()).size(), 1);
  }

  /// A piece that is there but holds nothing is written anew, not believed.
  void aPieceThatIsThereIsLookedAt() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    const MemoryImage image = noise(4, 0, 150'000);
    store.save(kPart, image);
    for (const QString& piece : piecesIn(folder.path())) QVERIFY(QFile::resize(piece, 0));
    const StoredCopy second = store.find(store.save(kPart, image));
    QVERIFY(store.contents(second) == image);
  }

  /// With the clock set back the newest copy is still the one made last, and it is not the one that goes.
  void noClockDecidesWhichIsTheNewest() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    const auto first = store.save(kPart, noise(1, 0, 100'000));
    // As if the first had been made next year.
    QString text = QString::fromStdString(readTextFile(first));
    text.replace(QRegularExpression("\"made\": \"20[0-9]{2}"), "\"made\": \"2199");
    QFile::remove(QString::fromStdString(first.string()));
    QFile late(folder.filePath("21990101-000000-000000-boot-flash-1.json"));
    QVERIFY(late.open(QIODevice::WriteOnly));
    late.write(text.toUtf8());
    late.close();
    const auto second = store.save(kPart, noise(2, 0, 100'000));
    QCOMPARE(store.list().front().path, second);
    store.setLimits({50'000, 365});
    store.prune();
    QCOMPARE(store.list().size(), std::size_t{1});
    QCOMPARE(store.list().front().path, second);
  }

  void theCopyOfAnUnfinishedRunIsNotRemoved() {
    QTemporaryDir folder;
    CopyStore store(folder.filePath("copies").toStdString());
    FolderNotes notes(folder.filePath("unfinished").toStdString());
    const MemoryImage needed = noise(1, 0, 100'000);
    RunNote note;
    note.of = kPart;
    note.copy = store.save(kPart, needed).filename().string();
    notes.put(note);
    store.save(kPart, noise(2, 0, 100'000));
    store.save(kPart, noise(3, 0, 100'000));
    store.setLimits({1, 365});
    store.prune();
    QCOMPARE(store.list().size(), std::size_t{2});
    QVERIFY(store.contents(note.copy) == needed);
    notes.close(note);
    store.prune();
    QCOMPARE(store.list().size(), std::size_t{1});
  }

  /// Two programs save and remove at the same time: no copy that is listed lacks a piece.
  void savingAndRemovingDoNotMeet() {
    QTemporaryDir folder;
    CopyStore(folder.path().toStdString()).setLimits({400'000, 365});
    std::vector<std::jthread> threads;
    for (unsigned t = 0; t < 4; ++t) {
      threads.emplace_back([&folder, t] {
        CopyStore store(folder.path().toStdString());
        for (unsigned i = 0; i < 12; ++i) store.save(kPart, noise(t % 2 + 10 * i, 0, 150'000));
      });
    }
    threads.clear();
    const CopyStore store(folder.path().toStdString());
    QVERIFY(!store.list().empty());
    for (const StoredCopy& copy : store.list()) QCOMPARE(store.contents(copy).byteCount(), 150'000u);
  }

  void whatAKilledProcessLeftIsCleanedUp() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    store.save(kPart, noise(1, 0, 1000));
    for (const char* name : {".old.json.4711.part", ".new.json.4712.part"}) {
      QFile file(folder.filePath(name));
      QVERIFY(file.open(QIODevice::WriteOnly));
      file.write("half");
    }
    std::filesystem::last_write_time(folder.filePath(".old.json.4711.part").toStdString(),
                                     std::filesystem::file_time_type::clock::now() - std::chrono::hours(30));
    store.save(kPart, noise(2, 0, 1000));
    QVERIFY(!QFile::exists(folder.filePath(".old.json.4711.part")));
    QVERIFY(QFile::exists(folder.filePath(".new.json.4712.part")));
  }

  void aFolderThatCannotBeMadeIsAnError() {
    CopyStore store("/proc/nothing/here");
    QCOMPARE(kindOf([&] { store.save(kPart, noise(1, 0, 10)); }), std::optional{ErrorKind::CannotWrite});
    QVERIFY(store.list().empty());
  }

  /// The copy that a run made goes back into another board with the same part, kept bytes too.
  void aCopyGoesIntoAnotherPartOfTheSameKind() {
    WorldOptions options;
    options.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x1800", "to": "0x1FFF"}])";
    World first(options), second(options);
    std::mt19937 random(5);
    const Bytes old = randomBytes(random, 0x4000);
    first.fill(0, old);
    Wanted wanted = first.wanted(Task::Program);
    wanted.image.write(0x100, Bytes(0x1000, 0x77));
    const Record record = first.carryOut(wanted);
    QCOMPARE(record.outcome, Outcome::Verified);
    const CopyStore store(first.path("copies").toStdString());
    const StoredCopy copy = store.find(record.backup);
    requireFitting(copy, second.bench().at("boot-flash").identify(), false);
    QCOMPARE(second.carryOut(wantedToRestore(second.sheet(), "boot-flash", copy, store.contents(copy))).outcome,
             Outcome::Verified);
    QCOMPARE(second.cells(0, 0x2000), Bytes(old.begin(), old.begin() + 0x2000));
  }

  void aCopyDoesNotGoIntoASmallerPartNorUnaskedIntoAnother() {
    QTemporaryDir folder;
    CopyStore store(folder.path().toStdString());
    CopyOf large = kPart;
    large.size = 8 << 20;
    World world;
    const memory::Identity& part = world.bench().at("boot-flash").identify();
    const StoredCopy far = store.find(store.save(large, noise(1, 0x200000, 100)));
    VERIFY_CONTAINS(errorOf([&] { requireFitting(far, part, true); }),
                    "the copy is of a part of 8 MiB and reaches to 0x200063; this part ends at 0x0FFFFF (1 MiB)");
    QCOMPARE(kindOf([&] { requireFitting(far, part, true); }), std::optional{ErrorKind::Refused});
    CopyOf other = kPart;
    other.identity = "0x7e4015";
    const StoredCopy near = store.find(store.save(other, noise(2, 0, 100)));
    VERIFY_CONTAINS(errorOf([&] { requireFitting(near, part, false); }),
                    "of a part with ID 0x7e4015 (bank 1), this one has 0x7e4014");
    requireFitting(near, part, true);
  }
};
IMPRIMO_TEST(CopiesTest);
#include "tst_copies.moc"
