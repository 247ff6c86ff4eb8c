// SPDX-License-Identifier: GPL-3.0-or-later
//
// CMSIS-DAP probes that lack what is optional, and whose time is not the one asked for.
#include "core/probe/dap/dap_probe.h"
#include "core/svf/player.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

namespace {

/// The link's clock while it is used; a world's probe is made anew here so that its transport can be looked at.
struct Desk {
  explicit Desk(const WorldOptions& options) : world(options) {
    auto owned = std::make_unique<LoopTransport>(world.sim());
    owned->time = LinkTime::Host;
    link = owned.get();
    probe = std::make_unique<DapProbe>(std::move(owned), atClock(options.clock));
  }
  double seconds() const { return sim::toSeconds(link->link().hostTime()); }
  double secondsOf(const std::string& svf) {
    struct Watch : svf::PlayObserver {
    } watch;
    const double began = seconds();
    svf::Reader reader(svf::sourceOf(svf), "f.svf");
    svf::play(reader, *probe, {}, watch, {});
    return seconds() - began;
  }

  World world;
  LoopTransport* link = nullptr;
  std::unique_ptr<DapProbe> probe;
};

WorldOptions oddProbe(const char* keys, std::size_t packetSize = 512) {
  WorldOptions options;
  options.packetSize = packetSize;
  options.probe = keys;
  options.hostTime = true;
  return options;
}

constexpr const char* kOdd[] = {
    "",
    R"(, "atomic_commands": false)",
    R"(, "delay": "passes-no-time")",
    R"(, "delay": "unknown")",
    R"(, "lowest_clock": 40000000)",
    R"(, "highest_clock": 100000)",
    R"(, "atomic_commands": false, "delay": "passes-no-time", "lowest_clock": 40000000)",
    R"(, "atomic_commands": false, "delay": "unknown", "highest_clock": 200000)",
};

}  // namespace

class OddProbesTest : public QObject {
  Q_OBJECT
 private slots:
  void aFlashIsWrittenAndReadThroughEach() {
    for (const char* keys : kOdd) {
      for (const std::size_t packet : {64u, 512u, 1024u}) {
        World world(oddProbe(keys, packet));
        std::mt19937 random(18);
        MemoryImage image;
        image.write(0x0F00, randomBytes(random, 6'000));
        const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
        QVERIFY2(record.outcome == run::Outcome::Verified,
                 qPrintable(QString("%1 %2: %3").arg(keys).arg(packet).arg(record.message.c_str())));
        QCOMPARE(world.cells(0x0F00, 6'000), image.bytes({0x0F00, 0x0F00 + 6'000}));
        COMPARE_TEXT(world.sim().violations(), "");
      }
    }
  }

  void withoutAtomicCommandsThereIsOneInAPacket() {
    jtag::ScanBatch batch;
    for (int i = 0; i < 40; ++i) {
      batch.exchange(jtag::Register::Data, BitVector(200, true)).delay(std::chrono::microseconds(50)).idle(3000);
    }
    World whole(oddProbe("")), single(oddProbe(kOdd[1]));
    QVERIFY(whole.bench().chain().port().run(batch) == single.bench().chain().port().run(batch));
    QCOMPARE(single.sim().board().clocks(), whole.sim().board().clocks());
    for (const std::size_t size : {64u, 65u, 512u, 4096u}) {
      DapPacker packer(size,
                       [&](DapPacket&& packet) {
                         QVERIFY(packet.request[0] == 0x14 || packet.request[0] == 0x09);
                         QVERIFY(packet.request.size() <= size);
                         QCOMPARE(packet.commands.size(), 1u);
                       },
                       {false, {}, {}});
      packer.add(batch);
      packer.flush();
    }
  }

  void secondsPassAsSeconds() {
    for (const char* keys : kOdd) {
      Desk desk(oddProbe(keys));
      for (const char* text : {"RUNTEST 0.3 SEC;", "RUNTEST 1000 TCK 0.3 SEC;", "RUNTEST 3000000 TCK 0.3 SEC;",
                               "STATE DRPAUSE;RUNTEST DRPAUSE 0.3 SEC;", "RUNTEST 0.004 SEC;RUNTEST 0.296 SEC;"}) {
        const double took = desk.secondsOf(text);
        QVERIFY2(took >= 0.3, qPrintable(QString("%1 %2: %3 s").arg(keys, text).arg(took)));
      }
      // Short ones add up, whether the probe's own delay is used for them or not.
      const double began = desk.seconds();
      jtag::ScanBatch batch;
      for (int i = 0; i < 100; ++i)
        batch.send(jtag::Register::Data, BitVector(8, true)).delay(std::chrono::microseconds(900));
      desk.probe->run(batch);
      QVERIFY2(desk.seconds() - began >= 0.09, keys);
    }
  }

  void waitsInsideAScanPassToo() {
    for (const char* keys : kOdd) {
      Desk desk(oddProbe(keys));
      jtag::Scan scan{jtag::Register::Data, BitVector(100, true), {{0, 100}}, {}, {}, {}, {}};
      scan.waits = {{40, std::chrono::microseconds(3'000)}, {60, std::chrono::microseconds(40'000)}};
      const double began = desk.seconds();
      QCOMPARE(desk.probe->run(jtag::ScanBatch().add(scan)).at(0).size(), 100u);
      QVERIFY2(desk.seconds() - began >= 0.043, keys);
    }
  }

  /// Clocks that only wait are not given one by one over a link that is slower than they are.
  void aLongWaitOverASlowLinkIsNoLonger() {
    WorldOptions options = oddProbe("", 64);
    options.packetCount = 1;
    options.clock = 10'000'000;
    Desk desk(options);
    const std::uint64_t before = desk.world.sim().board().clocks();
    const double took = desk.secondsOf("RUNTEST 60 SEC;");
    QVERIFY2(took >= 60 && took < 63, qPrintable(QString::number(took)));
    QVERIFY(desk.world.sim().board().clocks() > before + 1'000'000);  // and yet the clock runs
    // Clocks that are asked for by number are all given.
    const std::uint64_t counted = desk.world.sim().board().clocks();
    desk.secondsOf("RUNTEST 1000000 TCK 0.1 SEC;");
    QVERIFY(desk.world.sim().board().clocks() - counted >= 1'000'000);
  }

  /// Where delays pass no time, looks follow one another at once: that is no reason to have looked long enough.
  void anEraseIsNotGivenUpBeforeItsTime() {
    for (const char* keys : kOdd) {
      WorldOptions options = oddProbe(keys);
      options.flash =
          R"("size": "1M", "pace": 1.3, "times": {"page": [0.0004, 0.003], "4K": [0.3, 0.4], "32K": [0.3, 0.4], "64K": [0.3, 0.4], "chip": [1, 9]})";
      World world(options);
      std::mt19937 random(19);
      world.fill(0x1000, randomBytes(random, 4096));
      MemoryImage image;
      image.write(0x1000, randomBytes(random, 4096));
      const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
      QVERIFY2(record.outcome == run::Outcome::Verified,
               qPrintable(QString("%1: %2").arg(keys, record.message.c_str())));
    }
  }

  void aProbeThatIsFarSlowerIsNotGivenUp() {
    WorldOptions options = oddProbe(R"(, "highest_clock": 12000)", 4096);
    options.clock = 10'000'000;
    Desk desk(options);
    desk.probe->run(jtag::ScanBatch().exchange(jtag::Register::Data, BitVector(100'000, true)));
    QVERIFY(desk.seconds() > 8);
  }

  void anHonestDelayStaysInItsPacket() {
    // What a wait costs beside its time must not grow: packets for the batch, with the time measured and without.
    jtag::ScanBatch batch;
    for (int i = 0; i < 200; ++i)
      batch.send(jtag::Register::Data, BitVector(64, true)).delay(std::chrono::microseconds(100));
    World measured(oddProbe(""));
    WorldOptions plain;
    World counted(plain);
    measured.bench().chain().port().run(batch);  // it is found out once
    counted.bench().chain().port().run(batch);
    const auto packetsFor = [&](World& world) {
      const auto before = world.sim().packets();
      world.bench().chain().port().run(batch);
      return world.sim().packets() - before;
    };
    QCOMPARE(packetsFor(measured), packetsFor(counted));
  }
};
IMPRIMO_TEST(OddProbesTest);
#include "tst_odd_probes.moc"
