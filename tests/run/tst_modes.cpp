// SPDX-License-Identifier: GPL-3.0-or-later
//
// The modes of a part: addresses of three or four bytes, its upper address register, its protection, its sleep and its
// write enable. They are set and proven where something relies on them, and put back as they were found.
#include <fmt/format.h>

#include "core/run/runner.h"
#include "core/sheet/bridge_route.h"
#include "core/spi/bridge_port.h"
#include "tests/support/check.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

WorldOptions large(const std::string& way, const std::string& more = {}) {
  WorldOptions o;
  o.flash = fmt::format(R"("size": "32M", "id": "0x7E4019", "sfdp": "full", "four_byte": "{}", {}{})", way, kQuickTimes,
                        more);
  return o;
}

/// What whoever starts from the part would read: a command of our own, in no mode of ours.
Bytes threeByteRead(World& world, std::uint64_t at) {
  world.reconnect();
  const auto& route = dynamic_cast<const sheet::BridgeRoute&>(*world.sheet().memories[0].route);
  spi::BridgePort port(world.bench().chain(), route.position, route.opcode, "p2");
  port.hello();
  spi::SpiBatch batch;
  const std::size_t item = batch.exchange(
      {0x03, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8), static_cast<std::uint8_t>(at)},
      16);
  Bytes bytes = port.run(batch).answers[item];
  world.reconnect();
  return bytes;
}

}  // namespace

class ModesTest : public QObject {
  Q_OBJECT
 private slots:
  /// The board is switched off and on between two runs of a session: all modes of its flash are gone.
  void aPartThatWasSwitchedOffIsBroughtIntoItsModeAgain() {
    for (const char* way : {"command", "write-enable-command", "bank-register", "segment-register"}) {
      World world(large(way));
      world.fill(0, bytesOf(5, 0x3000));
      const Bytes low = world.cells(0, 0x20000);
      const Bytes first = bytesOf(2, 0x2000), second = bytesOf(4, 0x2000);
      QCOMPARE(world.carryOut(world.wanted(Task::Program, imageAt(0x1200000, first))).outcome, Outcome::Verified);
      world.flash().powerLost(world.sim().board().now());
      const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0x1200000, second)));
      QVERIFY2(record.outcome == Outcome::Verified, (std::string(way) + ": " + record.message).c_str());
      QCOMPARE(world.cells(0x1200000, 0x2000), second);
      QCOMPARE(world.cells(0, 0x20000), low);
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  void readsAreOfTheAddressThatWasAskedFor() {
    World world(large("command"));
    const Bytes there = bytesOf(2, 0x4000);
    world.fill(0x1200000, there);
    world.fill(0, bytesOf(5, 0x3000));
    world.bench().at("boot-flash").memory();
    world.flash().powerLost(world.sim().board().now());
    Wanted read = world.wanted(Task::Read);
    read.ranges = {{0x1200000, 0x1204000}};
    read.twice = true;
    QCOMPARE(world.carryOut(read).outcome, Outcome::Read);
    QCOMPARE(world.bench().at("boot-flash").contents().bytes({0x1200000, 0x1204000}), there);
    world.flash().powerLost(world.sim().board().now());
    Wanted blank = world.wanted(Task::Blank);
    blank.ranges = {{0x1200000, 0x1200100}};
    QCOMPARE(world.carryOut(blank).outcome, Outcome::NotBlank);
  }

  /// The supply goes in the middle of reading; only the flash loses it.
  void modesThatGoWhileItIsReadAreSetAgain() {
    World world(large("command"));
    const Bytes there = bytesOf(2, 0x40000);
    world.fill(0x1200000, there);
    world.fill(0, bytesOf(5, 0x3000));
    struct Off : RunObserver {
      explicit Off(World& w) : world(w) {}
      void advanced(std::size_t, const AddressRange&, const Amount&) override {
        if (++pieces == 2) world.flash().powerLost(world.sim().board().now());
      }
      World& world;
      int pieces = 0;
    } off(world);
    Wanted read = world.wanted(Task::Read);
    read.ranges = {{0x1200000, 0x1240000}};
    QCOMPARE(world.carryOut(read, {}, &off).outcome, Outcome::Read);
    QVERIFY(off.pieces > 2);
    QCOMPARE(world.bench().at("boot-flash").contents().bytes({0x1200000, 0x1240000}), there);
  }

  /// A part that does not say how higher addresses are reached, four times in one session.
  void aWayThatWasTriedWorksEveryTime() {
    for (const char* way : {"command", "write-enable-command"}) {
      World world(large(way, R"(, "tells_four_byte": false)"));
      for (unsigned at = 0; at < 0x1000000; at += 0x40000) world.fill(at, bytesOf(at, 0x3000));
      Bytes planned = bytesOf(2, 0x2000);
      for (unsigned i = 1; i <= 4; ++i) {
        for (auto& b : planned) b ^= static_cast<std::uint8_t>(0x11 * i);
        world.flash().clearJournal();
        const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0x1200000, planned)));
        QVERIFY2(record.outcome == Outcome::Verified, fmt::format("{} {}: {}", way, i, record.message).c_str());
        QCOMPARE(world.cells(0x1200000, 0x2000), planned);
        const QString journal = QString::fromStdString(world.flash().journal());
        for (const QString& line : journal.split('\n')) {
          if (line.startsWith("erase") || line.startsWith("program"))
            QVERIFY2(line.contains("0x120"), qPrintable(line));
        }
      }
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  /// As the FPGA's own loader or somebody's last program left it.
  void aDeviceIsLeftAsItWasFound() {
    for (const char* way : {"command", "write-enable-command", "bank-register", "segment-register", "own-commands"}) {
      for (const bool fourBytes : {false, true}) {
        WorldOptions o = large(way);
        if (std::string_view(way) == "own-commands") o.flash.replace(o.flash.find("full"), 4, "newest");
        World world(o);
        if (fourBytes && std::string_view(way) == "own-commands") continue;
        const Bytes low = bytesOf(5, 0x3000);
        world.fill(0, low);
        world.fill(0x1000000, bytesOf(6, 0x3000));
        world.flash().setAddressMode(fourBytes, fourBytes ? 1 : 0);
        const auto before = world.flash().addressMode();
        const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0x1200000, bytesOf(2, 0x2000))));
        QVERIFY2(record.outcome == Outcome::Verified, (std::string(way) + ": " + record.message).c_str());
        QVERIFY2(world.flash().addressMode() == before, way);
        QCOMPARE(world.cells(0, 0x3000), low);
        COMPARE_TEXT(world.sim().violations(), "");
      }
    }
  }

  void aPartIsLeftAsItWasFoundBehindStopsToo() {
    for (std::size_t n = 1; n < 12; n += 3) {
      World world(large("command"));
      const Bytes low = bytesOf(5, 0x3000);
      world.fill(0, low);
      StopAt stop(n);
      const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0x1200000, bytesOf(2, 0x8000))),
                                           stop.source.get_token(), &stop);
      QCOMPARE(record.outcome, Outcome::Stopped);
      QCOMPARE(threeByteRead(world, 0), Bytes(low.begin(), low.begin() + 16));
    }
  }

  /// A part in deep power-down is woken for the run and sleeps afterwards.
  void aDeviceThatSleptSleepsAgain() {
    WorldOptions o;
    o.flash = std::string(R"("size": "1M", "asleep": true, )") + kQuickTimes;
    World world(o);
    const Bytes planned = bytesOf(2, 0x2000);
    const Record record = world.carryOut(world.wanted(Task::Program, imageAt(0x1000, planned)));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QVERIFY(world.flash().isAsleep());
    QCOMPARE(world.cells(0x1000, 0x2000), planned);
    Wanted read = world.wanted(Task::Read);
    read.ranges = {{0x1000, 0x3000}};
    QCOMPARE(world.carryOut(read).outcome, Outcome::Read);
    QCOMPARE(world.bench().at("boot-flash").contents().bytes({0x1000, 0x3000}), planned);
    QVERIFY(world.flash().isAsleep());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  /// A command that the part missed leaves its write enable behind; the next stray byte must not find it.
  void noWriteEnableIsLeftBehind() {
    WorldOptions o;
    o.flash = std::string(R"("size": "1M", )") + kQuickTimes;
    std::uint64_t from = 0, to = 0;
    {
      World clean(o);
      clean.bench().at("boot-flash").identify();
      from = clean.flash().commandCount();
      clean.carryOut(clean.wanted(Task::Program, imageAt(0x1000, bytesOf(2, 0x1000))));
      to = clean.flash().commandCount();
    }
    for (std::uint64_t n = from + 1; n <= to; ++n) {
      World world(o);
      world.bench().at("boot-flash").identify();
      world.flash().ignoreCommand(n);
      world.carryOut(world.wanted(Task::Program, imageAt(0x1000, bytesOf(2, 0x1000))));
      const std::uint8_t status = world.flash().status(world.sim().board().now() + sim::fromSeconds(1));
      QVERIFY2((status & 0x02) == 0, fmt::format("command {} of {}", n, to).c_str());
    }
  }

  /// The link goes while the block protection is cleared; the next run puts it back as it was before the first.
  void protectionThatALostLinkLeftClearedIsPutBack() {
    WorldOptions o;
    o.flash = std::string(R"("size": "1M", "status": "0x1C", )") + kQuickTimes;
    o.memory = R"(, "part": "card.json")";
    o.files["card.json"] =
        R"({"imprimo_part":1,"name":"Quill","id":"0x7E4014","size":"1M","page":256,"program":{"typical":0.0004,"longest":0.003},"erase":[{"size":4096,"opcode":"0x20","typical":0.002,"longest":0.02}],
   "registers":[{"name":"status 1","read":"0x05","write":"0x01","bits":[{"bits":"4..2","name":"bp"},{"bits":"1","name":"we","read_only":true},{"bits":"0","name":"busy","read_only":true}]}],
   "protection":{"register":"status 1","bits":"4..2","levels":[{"value":"0","ranges":[]},{"value":"7","ranges":["0..0xFFFFF"]}]}})";
    World world(o);
    world.fill(0, bytesOf(1, 0x10000));
    struct Cut : RunObserver {
      explicit Cut(World& w) : world(w) {}
      void planned(const PlanPtr& p) override { plan = *p; }
      void stepStarted(std::size_t i) override {
        if (plan.steps.at(i).kind == StepKind::Write) world.sim().dropLinkAtPacket(world.sim().packets() + 1);
      }
      World& world;
      Plan plan;
    } cut(world);
    const Bytes planned = bytesOf(2, 0x10000);
    const Record first = world.carryOut(world.wanted(Task::Program, imageAt(0, planned)), {}, &cut);
    QCOMPARE(first.error, std::optional{ErrorKind::LinkLost});
    QCOMPARE(world.flash().status(world.sim().board().now()) & 0x1C, 0x00);
    world.reconnect();
    world.sim().restoreLink();
    const Record second = world.carryOut(world.wanted(Task::Program, imageAt(0, planned)));
    QVERIFY2(second.outcome == Outcome::Verified, second.message.c_str());
    QCOMPARE(world.flash().status(world.sim().board().now()) & 0x1C, 0x1C);
  }
};
IMPRIMO_TEST(ModesTest);
#include "tst_modes.moc"
