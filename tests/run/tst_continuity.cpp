// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a run decides on was read in that run, or is proven to be as it was: between two runs of one session boards are
// swapped, designs write to their own flash, and supplies go off and on.
#include <fmt/format.h>

#include "core/probe/dap/dap_probe.h"
#include "core/run/runner.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

WorldOptions quick(const std::string& sheet = {}) {
  WorldOptions o;
  o.flash = quickFlash("1M");
  o.sheet = sheet;
  return o;
}

std::size_t differing(const Bytes& a, const Bytes& b) {
  std::size_t count = 0;
  for (std::size_t i = 0; i < a.size(); ++i) count += a[i] != b[i] ? 1 : 0;
  return count;
}

}  // namespace

class ContinuityTest : public QObject {
  Q_OBJECT
 private slots:
  /// The design writes its log into a kept range that was blank, between two runs of one session.
  void aDesignThatWritesToItsFlashIsNoticed() {
    World world(quick(R"(, "keep": [{"memory": "boot-flash", "from": "0x3900", "to": "0x3CFF"}])"));
    world.fill(0, bytesOf(1, 0x3800));
    Bytes first = bytesOf(2, 0x3800), second = first;
    for (std::size_t i = 0x3000; i < second.size(); ++i) second[i] ^= 0x5A;
    QCOMPARE(world.carryOut(world.wanted(Task::Program, imageAt(0, first))).outcome, Outcome::Verified);
    world.bench().devices().restart();
    const Bytes log(0x100, 0x42);
    world.fill(0x3900, log);
    const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0, second)));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QCOMPARE(world.cells(0x3900, 0x100), log);
    QCOMPARE(world.copy(record.backup).bytes({0x3900, 0x3A00}), log);
    QCOMPARE(world.cells(0, 0x3800), second);
  }

  void whateverTheDesignWritesIntoTheKeptRangeStays() {
    for (const unsigned count : {16u, 256u, 1024u}) {
      for (unsigned seed = 0; seed < 12; ++seed) {
        std::mt19937 random(seed * 977 + count);
        World world(quick(R"(, "keep": [{"memory": "boot-flash", "from": "0x4400", "to": "0x4FFF"}])"));
        const Bytes first = bytesOf(seed, 0x4400);
        Bytes second = first;
        for (std::size_t i = 0x3000; i < second.size(); ++i) second[i] ^= 0x21;
        world.carryOut(world.wanted(Task::Program, imageAt(0, first)));
        world.bench().devices().restart();
        const auto at = static_cast<std::uint64_t>(0x4400 + below(random, 0xC00 - count));
        Bytes log = bytesOf(seed + 5, count);
        for (auto& b : log) b &= 0x7F;
        world.fill(at, log);
        const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0, second)));
        QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
        QCOMPARE(world.cells(at, count), log);
        QCOMPARE(world.copy(record.backup).bytes({at, at + count}), log);
      }
    }
  }

  /// Another board of the same kind, whose differences lie anywhere.
  void aSwappedBoardIsReadAgainWhole() {
    for (const int placements : {1, 2, 3, 4}) {
      World world(quick());
      MemoryImage wanted;
      std::vector<Bytes> data;
      for (int s = 0; s < placements; ++s) {
        data.push_back(bytesOf(10 + static_cast<unsigned>(s), 0x20000));
        wanted.write(static_cast<std::uint64_t>(s) * 0x30000, data.back());
      }
      QCOMPARE(world.carryOut(world.wanted(Task::Program, wanted)).outcome, Outcome::Verified);
      MemoryImage next = wanted;
      next.write(0, bytesOf(77, 0x1000));
      world.swapBoard();
      const auto part = static_cast<std::size_t>(0x20000 / placements);
      for (int s = 0; s < placements; ++s) {
        for (std::size_t i = 0; i < 0x20000; ++i) {
          if (s == 0 && i < 0x1000) continue;
          if (i >= part * static_cast<std::size_t>(s) && i < part * (static_cast<std::size_t>(s) + 1) + 64) continue;
          world.flash().cells().set(static_cast<std::uint64_t>(s) * 0x30000 + i,
                                    static_cast<std::uint8_t>(data[static_cast<std::size_t>(s)][i] ^ 0x5A));
        }
      }
      const Record record = world.carryOut(world.wanted(Task::Program, next));
      QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
      for (const MemoryImage::Segment& s : next.segments())
        QCOMPARE(world.cells(s.begin, s.bytes.size()), Bytes(s.bytes.begin(), s.bytes.end()));
    }
  }

  void aFewOtherBytesOnASwappedBoardAreFound() {
    std::mt19937 random(7);
    const Bytes first = bytesOf(3, 0x40000);
    Bytes second = first;
    for (std::size_t i = 0x10000; i < 0x11000; ++i) second[i] ^= 0x33;
    for (const unsigned count : {1u, 16u, 256u, 4096u}) {
      World world(quick());
      QCOMPARE(world.carryOut(world.wanted(Task::Program, imageAt(0, first))).outcome, Outcome::Verified);
      world.swapBoard();
      const std::uint64_t at = below(random, 0x40000 - count);
      Bytes other = world.cells(at, count);
      for (auto& b : other) b ^= 0x0F;
      world.fill(at, other);
      const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0, second)));
      QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
      QCOMPARE(differing(world.cells(0, 0x40000), second), 0u);
    }
  }

  /// Nothing planned changes, and the other board differs: the bytes are put right, and nobody speaks of wear.
  void whereNothingWasErasedNothingIsSaidToBeWorn() {
    World world(quick());
    const Bytes wanted = bytesOf(3, 0x40000);
    world.carryOut(world.wanted(Task::Program, imageAt(0, wanted)));
    world.swapBoard();
    world.fill(0x5123, Bytes(600, 0xA5));
    const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0, wanted)));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QVERIFY(!QString::fromStdString(record.message).contains("worn"));
    QCOMPARE(world.cells(0, 0x40000), wanted);
  }

  /// Known to be blank once, and written by the design since: no program command without an erase and a copy.
  void blankFromBeforeIsNotBlankNow() {
    World world(quick());
    world.carryOut(world.wanted(Task::Program, imageAt(0, bytesOf(3, 0x8000))));
    Wanted look = world.wanted(Task::Read);
    look.ranges = {{0x20000, 0x30000}};
    world.carryOut(look);
    world.bench().devices().restart();
    const Bytes data(0x500, 0x42);
    world.fill(0x20A00, data);
    const Bytes planned = bytesOf(9, 0x800);
    const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0x20000, planned)));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QCOMPARE(world.cells(0x20000, 0x800), planned);
    QCOMPARE(world.cells(0x20A00, 0x500), data);
  }

  /// The link is lost while a whole part is read; behind it another board of the same kind comes back.
  void halfOfTwoBoardsIsNoReadBack() {
    World world(quick());
    const Bytes a = bytesOf(1, 0x100000), b = bytesOf(2, 0x100000);
    world.fill(0, a);
    world.bench().setReopen([&] {
      world.sim().restoreLink();
      world.swapBoard();
      world.fill(0, b);
      probe::ProbeOptions settings;
      settings.clockHz = 10'000'000;
      return std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(world.sim()), settings);
    });
    struct Cut : RunObserver {
      explicit Cut(World& w) : world(w) {}
      void advanced(std::size_t, const AddressRange&, const Amount& done) override {
        if (cut || done.count <= 0x80000) return;
        cut = true;
        world.sim().dropLinkAtPacket(world.sim().packets() + 5);
      }
      World& world;
      bool cut = false;
    } cut(world);
    Wanted wanted = world.wanted(Task::Read);
    wanted.all = true;
    const Record record = world.carryOut(wanted, {}, &cut);
    QVERIFY(cut.cut);
    QVERIFY2(record.outcome == Outcome::Read, record.message.c_str());
    QCOMPARE(differing(world.bench().at("boot-flash").contents().bytes({0, 0x100000}), b), 0u);
  }
};
IMPRIMO_TEST(ContinuityTest);
#include "tst_continuity.moc"
