// SPDX-License-Identifier: GPL-3.0-or-later
//
// A large file that two have open is in memory once, and never an older one than is on disk.
#include <QTemporaryDir>
#include <filesystem>
#include <fstream>
#include <future>
#include <latch>

#include "core/base/error.h"
#include "core/image/shared_source.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class SharedSourceTest : public QObject {
  Q_OBJECT

  QTemporaryDir folder_;
  std::filesystem::path path_ = folder_.filePath("large.bin").toStdString();

  Placement placement() const {
    Placement p;
    p.file = "large.bin";
    p.at = 0;
    return p;
  }
  std::shared_ptr<const SourceFile> get() const { return sharedSource(placement(), path_.parent_path()); }
  static const std::uint8_t* bytesOf(const SourceFile& source) {
    return source.file.image.segments().front().bytes.data();
  }
  void write(char what, std::size_t count = 2 << 20) {
    std::ofstream file(path_, std::ios::binary);
    file << std::string(count, what);
  }
  /// Its last change is long enough ago; its status still says when that was done, so that has to pass.
  static void settle() { QTest::qWait(2100); }

 private slots:
  void aLargeFileIsReadOnceWhileSomebodyHasIt() {
    write('a');
    settle();
    auto first = get();
    QVERIFY(get() == first);
    // As another format it is another thing.
    Placement raw = placement();
    raw.format = ImageFormat::Raw;
    QVERIFY(sharedSource(raw, path_.parent_path()) != first);
    // A piece that is placed has its bytes.
    const Piece piece = readPiece(placement(), path_.parent_path());
    QVERIFY(piece.image.segments().front().bytes.data() == bytesOf(*first));
    Placement reversed = placement();
    reversed.reversed = true;
    const Piece other = readPiece(reversed, path_.parent_path());
    QCOMPARE(other.image.at(0).value(), reverseBits('a'));
    QCOMPARE(first->file.image.at(0).value(), std::uint8_t('a'));
    QVERIFY(other.source->file.image.empty());
    const std::weak_ptr<const SourceFile> gone = first;
    first.reset();
    QVERIFY(!gone.expired());  // the piece
  }

  void aChangedFileIsReadAgain() {
    write('a');
    settle();
    const auto first = get();
    write('b');
    const auto second = get();
    QCOMPARE(first->file.image.at(0).value(), std::uint8_t('a'));
    QCOMPARE(second->file.image.at(0).value(), std::uint8_t('b'));
    // Just changed: it may be changed again with the same time, so nothing is shared.
    QVERIFY(get() != second);
    write('c');
    QCOMPARE(get()->file.image.at(0).value(), std::uint8_t('c'));
    // An older time does not hide a change.
    settle();
    const auto third = get();
    const auto then = std::filesystem::last_write_time(path_);
    write('d');
    std::filesystem::last_write_time(path_, then);
    QCOMPARE(get()->file.image.at(0).value(), std::uint8_t('d'));
    QCOMPARE(third->file.image.at(0).value(), std::uint8_t('c'));
  }

  void smallFilesAndWhatIsNotThere() {
    write('s', 1000);
    settle();
    const auto small = get();
    QVERIFY(get() != small);
    std::filesystem::remove(path_);
    QVERIFY_THROWS_EXCEPTION(Error, get());
    QVERIFY_THROWS_EXCEPTION(Error, get());
  }

  void severalThreadsWaitForOneReading() {
    write('t', 24 << 20);
    settle();
    for (int round = 0; round < 5; ++round) {
      std::latch begin(4);
      std::vector<std::future<std::shared_ptr<const SourceFile>>> all;
      for (int i = 0; i < 4; ++i) {
        all.push_back(std::async(std::launch::async, [&] {
          begin.arrive_and_wait();
          return get();
        }));
      }
      std::vector<std::shared_ptr<const SourceFile>> got;
      for (auto& each : all) got.push_back(each.get());
      for (const auto& each : got) QVERIFY(each == got.front());
    }
  }

  /// Who waits for another's reading can be stopped meanwhile, and who reads fails alone.
  void waitingCanBeStopped() {
    write('w', 24 << 20);
    settle();
    std::stop_source stop;
    stop.request_stop();
    ReadRules rules;
    rules.stop = stop.get_token();
    auto stopped = [&] { return sharedSource(placement(), path_.parent_path(), rules); };
    QVERIFY_THROWS_EXCEPTION(Error, stopped());
    QCOMPARE(get()->file.image.byteCount(), std::uint64_t{24 << 20});
  }
};

IMPRIMO_TEST(SharedSourceTest);
#include "tst_shared_source.moc"
