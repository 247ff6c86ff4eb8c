// SPDX-License-Identifier: GPL-3.0-or-later
//
// Files of vectors on a board that they were not made from, and files that are stopped and taken up again.
#include <fmt/format.h>

#include "core/spi/bridge_port.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/vector_station.h"

using namespace imprimo;
using namespace imprimo::run;
using namespace imprimo::vectors;
using namespace imprimo::test;

namespace {

struct StopPlayAt : PlayWatch {
  explicit StopPlayAt(std::uint64_t offset) : at(offset) {}
  void advanced(const svf::Played& played) override {
    if (played.place.offset >= at) source.request_stop();
  }
  std::uint64_t at;
  std::stop_source source;
};

constexpr const char* kLarge =
    R"("size": "32M", "id": "0x7E4019", "sfdp": "full", "four_byte": "command", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";

WorldOptions keeping(const std::string& from, const std::string& to) {
  WorldOptions o = small();
  o.sheet = fmt::format(R"(, "keep": [{{"memory": "boot-flash", "from": "{}", "to": "{}"}}])", from, to);
  return o;
}

}  // namespace

class VectorSafetyTest : public QObject {
  Q_OBJECT
 private slots:
  /// Made with what board A holds, played on board B.
  void anotherBoardsContentsAreNotWritten() {
    const Bytes a = bytesOf(1, 0x8000), b = bytesOf(7, 0x8000);
    Station station(keeping("0x3800", "0x3FFF"));
    station.world.fill(0, a);
    Bytes planned = bytesOf(2, 0x3400);
    std::copy(a.begin(), a.begin() + 0x1000, planned.begin());  // the first block as it is on A
    VectorWish wish = station.wish(imageAt(0, planned));
    wish.contents = imageAt(0, a);
    const std::string text = station.write(wish);
    World other(keeping("0x3800", "0x3FFF"));
    other.fill(0, b);
    const PlayReport report = station.play(other, text);
    QCOMPARE(report.record.outcome, Outcome::Mismatch);
    QVERIFY2(!report.record.changed, report.record.message.c_str());
    QCOMPARE(other.cells(0, 0x8000), b);
    // Only an agreeing block differs: found too.
    World third(keeping("0x3800", "0x3FFF"));
    third.fill(0, a);
    third.flash().cells().set(0x123, static_cast<std::uint8_t>(a[0x123] ^ 1));
    QCOMPARE(station.play(third, text).record.outcome, Outcome::Mismatch);
    // The board that it is for.
    World same(keeping("0x3800", "0x3FFF"));
    same.fill(0, a);
    const PlayReport good = station.play(same, text);
    QVERIFY2(good.record.outcome == Outcome::Played, good.record.message.c_str());
    QCOMPARE(same.cells(0, 0x3400), planned);
    QCOMPARE(same.cells(0x3800, 0x800), Bytes(a.begin() + 0x3800, a.begin() + 0x4000));
  }

  /// Stopped while it writes, the board switched off and on, and taken up where the message says.
  void takenUpAgainEveryStepEntersItsMode() {
    WorldOptions o = small();
    o.flash = kLarge;
    Station station(o);
    const Bytes planned = bytesOf(2, 0x8000);
    const std::string text = station.write(station.wish(imageAt(0x1200000, planned)));
    station.world.reconnect();
    Bytes low = bytesOf(9, 0x20000);
    for (auto& b : low) b |= 0xF0;
    station.world.fill(0, low);
    const std::size_t middle = text.find("Block 0x1204000", text.find(": Write "));
    QVERIFY(middle != std::string::npos);
    StopPlayAt stop(middle);
    const PlayReport first = station.play(station.world, text, false, 0, &stop, stop.source.get_token());
    QCOMPARE(first.record.outcome, Outcome::Stopped);
    station.world.reconnect();
    station.world.flash().powerLost(station.world.sim().board().now());
    const PlayReport second = station.play(station.world, text, false, first.result.safe.place.offset);
    QVERIFY2(second.record.outcome == Outcome::Played, second.record.message.c_str());
    QCOMPARE(station.world.cells(0, 0x20000), low);
    QCOMPARE(station.world.cells(0x1200000, 0x8000), planned);
    COMPARE_TEXT(station.world.sim().violations(), "");
  }

  /// Between the erase of a block and the last of the bytes that it had before, a stop waits.
  void aStopLeavesNoRewrittenBlockHalf() {
    const Bytes old = bytesOf(1, 0x1000);
    Station station(keeping("0x800", "0xFFF"));
    station.world.fill(0, old);
    VectorWish wish = station.wish(imageAt(0, bytesOf(2, 0x800)));
    wish.contents = imageAt(0, old);
    const std::string text = station.write(wish);
    station.world.reconnect();
    int stopped = 0;
    for (std::size_t at = text.find(": Rewrite"); at < text.size(); at = text.find(';', at + 200)) {
      if (at == std::string::npos) break;
      World world(keeping("0x800", "0xFFF"));
      world.fill(0, old);
      StopPlayAt stop(at);
      const PlayReport report = station.play(world, text, false, 0, &stop, stop.source.get_token());
      if (report.record.outcome != Outcome::Stopped) break;
      ++stopped;
      QCOMPARE(world.cells(0x800, 0x800), Bytes(old.begin() + 0x800, old.end()));
    }
    QVERIFY(stopped > 3);
  }

  /// A stop, a mismatch and the file's end leave the part at three address bytes.
  void aPlayLeavesThePartsModesAsTheyWere() {
    WorldOptions o = small();
    o.flash = kLarge;
    Station station(o);
    const std::string text = station.write(station.wish(imageAt(0x1200000, bytesOf(2, 0x4000))));
    station.world.reconnect();
    for (const std::string& mark : {std::string("Block 0x1202000"), std::string("Confirm")}) {
      World world(o);
      StopPlayAt stop(text.find(mark, text.find(": Write ")));
      const PlayReport report = station.play(world, text, false, 0, &stop, stop.source.get_token());
      QCOMPARE(report.record.outcome, Outcome::Stopped);
      QVERIFY(!world.flash().addressMode().fourBytes);
    }
    World wrong(o);
    wrong.flash().corruptWritten(100, 0x01);
    QCOMPARE(station.play(wrong, text).record.outcome, Outcome::Mismatch);
    QVERIFY(!wrong.flash().addressMode().fourBytes);
  }

  /// What a lost link leaves of a rewritten block is told, with where its bytes still are.
  void aLinkLostInARewrittenBlockIsToldWithTheBlock() {
    const Bytes old = bytesOf(1, 0x1000);
    Station station(keeping("0x800", "0xFFF"));
    station.world.fill(0, old);
    VectorWish wish = station.wish(imageAt(0, bytesOf(2, 0x800)));
    wish.contents = imageAt(0, old);
    const std::string text = station.write(wish);
    World world(keeping("0x800", "0xFFF"));
    world.fill(0, old);
    struct Cut : PlayWatch {
      Cut(World& w, std::uint64_t offset) : world(w), at(offset) {}
      void advanced(const svf::Played& played) override {
        if (played.place.offset >= at && !std::exchange(done, true))
          world.sim().dropLinkAtPacket(world.sim().packets() + 1);
      }
      World& world;
      std::uint64_t at;
      bool done = false;
    } cut(world, text.find("RUNTEST", text.find(": Rewrite")) + 1);
    const PlayReport report = station.play(world, text, false, 0, &cut);
    QCOMPARE(report.record.error, std::optional{ErrorKind::LinkLost});
    QVERIFY(world.cells(0x800, 0x800) != Bytes(old.begin() + 0x800, old.end()));
    VERIFY_CONTAINS(report.record.message, "0x000000 – 0x000FFF");
    VERIFY_CONTAINS(report.record.message, "kept");
  }
};
IMPRIMO_TEST(VectorSafetyTest);
#include "tst_safety.moc"
