// SPDX-License-Identifier: GPL-3.0-or-later
//
// Debug port, bus and core over the simulated wires, with probes of every kind of limits.
#include <fmt/format.h>

#include "core/probe/dap/dap_swd.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

constexpr std::uint32_t kRam = 0x20000000;

}  // namespace

class DebugPortTest : public QObject {
  Q_OBJECT
 private slots:
  void thePortIsBroughtUpAndSaysWhoItIs() {
    CoreWorld w;
    bench::BenchCore& core = w.bench().core("core");
    QCOMPARE(core.port().dpidr(), 0x0C602FFBu);
    QCOMPARE(core.port().targetId().value(), 0x01C60FFBu);
    QCOMPARE(core.port().accessPorts(), std::vector<debug::AccessPort>{{0}});
    QCOMPARE(core.bus().base().value(), 0xE00FF000u);
    QCOMPARE(core.core().cpuid(), 0x410CC200u);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void bytesComeAndGoAtAnyAddress_data() {
    QTest::addColumn<int>("size");
    QTest::addColumn<int>("count");
    QTest::addColumn<bool>("atomic");
    QTest::addColumn<int>("wait");
    for (const int size : {64, 512, 1024, 4096}) {
      for (const int count : {1, 4, 16}) {
        for (const bool atomic : {false, true}) {
          for (const int wait : {0, 7})
            QTest::addRow("%d x %d %d %d", size, count, atomic, wait) << size << count << atomic << wait;
        }
      }
    }
  }

  /// Across the ends of the 1 KiB that TAR goes on by itself, with ends that are no words, and a port that says WAIT.
  void bytesComeAndGoAtAnyAddress() {
    QFETCH(const int, size);
    QFETCH(const int, count);
    QFETCH(const bool, atomic);
    QFETCH(const int, wait);
    CoreWorldOptions o;
    o.packetSize = static_cast<std::size_t>(size);
    o.packetCount = static_cast<std::size_t>(count);
    o.probe = fmt::format(R"(, "atomic_commands": {})", atomic);
    o.core = fmt::format(R"(, "wait_every": {})", wait);
    CoreWorld w(o);
    debug::MemAp& bus = w.bench().core("core").bus();
    std::mt19937 random(static_cast<unsigned>(size + count));
    Bytes shadow(0x4000, 0);
    bus.write(kRam, shadow);
    for (int i = 0; i < 12; ++i) {
      const std::size_t at = random() % 0x3000, length = 1 + random() % 0xFFF;
      const Bytes bytes = randomBytes(random, length);
      bus.write(static_cast<std::uint32_t>(kRam + at), bytes);
      std::copy(bytes.begin(), bytes.end(), shadow.begin() + static_cast<std::ptrdiff_t>(at));
      Bytes back(1 + random() % 0xFFF);
      const std::size_t from = random() % (0x4000 - back.size());
      bus.read(static_cast<std::uint32_t>(kRam + from), back);
      QVERIFY(std::equal(back.begin(), back.end(), shadow.begin() + static_cast<std::ptrdiff_t>(from)));
    }
    Bytes all(0x4000);
    bus.read(kRam, all);
    QVERIFY(all == shadow);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// The wire needs 46 clocks for a word; packets are full.
  void bulkTransfersWasteNothing() {
    CoreWorld w;
    debug::MemAp& bus = w.bench().core("core").bus();
    const Bytes bytes = bytesOf(5, 0x4000);
    const std::uint64_t clocks = w.sim().board().clocks(), packets = w.sim().packets();
    bus.write(kRam, bytes);
    const double perByte = static_cast<double>(w.sim().board().clocks() - clocks) / 0x4000;
    const double perKib = static_cast<double>(w.sim().packets() - packets) / 16;
    QVERIFY2(perByte <= 12.1, std::to_string(perByte).c_str());
    QVERIFY2(perKib <= 2.3, std::to_string(perKib).c_str());
    Bytes back(0x4000);
    const std::uint64_t before = w.sim().board().clocks(), packetsBefore = w.sim().packets();
    bus.read(kRam, back);
    QVERIFY(back == bytes);
    QVERIFY(static_cast<double>(w.sim().board().clocks() - before) / 0x4000 <= 12.1);
    QVERIFY(static_cast<double>(w.sim().packets() - packetsBefore) / 16 <= 2.3);
  }

  void aBusErrorNamesItsAddressAndLeavesThePortInOrder() {
    CoreWorld w;
    debug::MemAp& bus = w.bench().core("core").bus();
    Bytes bytes(0x200);
    try {
      bus.read(0x20003F00, bytes);  // RAM ends at 0x20004000
      QFAIL("read past the end");
    } catch (const debug::BusFault& e) {
      QCOMPARE(e.at().value(), 0x20004000u);
    }
    try {
      bus.write(0x20003FF8, Bytes(16, 1));
      QFAIL("written past the end");
    } catch (const debug::BusFault& e) {
      QCOMPARE(e.at().value(), 0x20004000u);
    }
    bus.writeWord(kRam, 0x12345678);
    QCOMPARE(bus.readWord(kRam), 0x12345678u);
  }

  /// Accesses of one width and no other, packed where the port packs: fewer of its own then.
  void narrowAccessesArePackedWhereThePortCan_data() {
    QTest::addColumn<bool>("packs");
    QTest::addColumn<quint32>("width");
    for (const quint32 width : {1u, 2u, 4u}) {
      for (const bool packs : {false, true})
        QTest::newRow(qPrintable(QString("%1, %2").arg(8 * width).arg(packs ? "packed" : "one by one")))
            << packs << width;
    }
  }

  void narrowAccessesArePackedWhereThePortCan() {
    QFETCH(const bool, packs);
    QFETCH(const quint32, width);
    CoreWorldOptions o;
    o.core = packs ? R"(, "packed": true)" : "";
    CoreWorld w(o);
    debug::MemAp& bus = w.bench().core("core").bus();
    QCOMPARE(bus.packs(), packs);
    // Over the end of a KiB, from and to places that are no words.
    const std::uint32_t at = kRam + 0x400 - 0x100 + width % 4;
    const Bytes bytes = bytesOf(31, 0x200);
    const std::uint64_t before = w.sim().board().debugPort().accesses();
    bus.writeEach(at, bytes, width);
    const std::uint64_t accesses = w.sim().board().debugPort().accesses() - before;
    QVERIFY2(accesses <= bytes.size() / (packs ? 4 : width) + 20, std::to_string(accesses).c_str());
    Bytes back(bytes.size()), words(bytes.size() + 8);
    bus.readEach(at, back, width);
    QCOMPARE(back, bytes);
    bus.read(at - 4, words);
    QVERIFY(std::equal(bytes.begin(), bytes.end(), words.begin() + 4));
    QVERIFY(w.sim().violations().empty());
    if (width > 1) {
      QCOMPARE(kindOf([&] { bus.readEach(at + 1, back, width); }), ErrorKind::Usage);
    }
  }

  /// Two bytes at an even address are one access.
  void endsAreReadWithHalvesWhereTheyCan() {
    CoreWorld w;
    debug::MemAp& bus = w.bench().core("core").bus();
    const Bytes bytes = bytesOf(32, 64);
    bus.write(kRam, bytes);
    for (std::size_t from = 0; from < 5; ++from) {
      for (std::size_t size = 0; size < 12; ++size) {
        Bytes back(size);
        bus.read(static_cast<std::uint32_t>(kRam + from), back);
        QCOMPARE(back, Bytes(bytes.begin() + static_cast<std::ptrdiff_t>(from),
                             bytes.begin() + static_cast<std::ptrdiff_t>(from + size)));
      }
    }
    const Bytes piece = bytesOf(33, 7);
    bus.write(kRam + 9, piece);
    Bytes all(64), expected = bytes;
    std::copy(piece.begin(), piece.end(), expected.begin() + 9);
    bus.read(kRam, all);
    QCOMPARE(all, expected);
  }

  /// One instruction at a time, with what wants to interrupt it kept away.
  void aCoreIsSteppedAnInstructionAtATime() {
    CoreWorld w;
    const Bytes program = firmware({0x2001, 0x3001, 0x3001, 0xE7FC});  // movs r0, #1; adds r0, #1; twice; b back
    std::copy(program.begin(), program.end(), w.chip().flash().begin());
    debug::Core& core = w.bench().core("core").core();
    core.resetHalted();
    for (std::uint32_t n = 1; n <= 3; ++n) {
      core.step();
      const debug::CoreRegisters now = core.registers();
      QCOMPARE(now.values[0], n);
      QCOMPARE(now.pc(), 0xC0 + 2 * n);
      QVERIFY(core.haltedAllTheWhile());
    }
    core.step();
    QCOMPARE(core.registers().pc(), 0xC2u);
  }

  void attachingChangesNothing() {
    CoreWorld w;
    const debug::CoreState before = w.bench().core("core").core().state();
    QCOMPARE(before, debug::CoreState::LockedUp);  // nothing is in its flash
    w.reconnect();
    QVERIFY(!w.chip().core().halted());
    QVERIFY(w.chip().core().lockedUp());
  }

  void registersAreReadAndPutBack() {
    CoreWorld w;
    debug::Core& core = w.bench().core("core").core();
    core.halt();
    debug::CoreRegisters registers = core.registers();
    for (std::size_t i = 0; i < 13; ++i) registers.values[i] = 0x11110000u + static_cast<std::uint32_t>(i);
    registers.values[15] = 0x20000100;
    registers.values[17] = 0x20003F00;
    registers.values[13] = 0x20003F00;
    registers.values[18] = 0x20003E00;
    registers.values[16] = 0x61000000;
    core.setRegisters(registers);
    const debug::CoreRegisters now = core.registers();
    for (std::size_t i = 0; i < now.values.size(); ++i) QCOMPARE(now.values[i], registers.values[i]);
    core.leaveAsFound();
    QVERIFY(!w.chip().core().halted());
  }

  void silenceIsToldWithWhatToTry() {
    CoreWorldOptions o;
    CoreWorld w(o);
    w.sim().board().addFault({.kind = sim::BoardFault::Kind::NoPower, .from = UINT64_MAX});
    try {
      w.bench().core("core");
      QFAIL("something answered");
    } catch (const Error& e) {
      QCOMPARE(e.kind(), ErrorKind::BrokenChain);
      const std::string text = e.full();
      QVERIFY2(text.find("no debug port answers on SWD") != std::string::npos, text.c_str());
      QVERIFY(text.find("under-reset") != std::string::npos);
    }
  }

  /// With power and no port nothing pulls the wire down; without power it is low.
  void whatASilentWireSaysIsTold() {
    CoreWorld dead;
    dead.sim().board().addFault({.kind = sim::BoardFault::Kind::NoPower, .from = UINT64_MAX});
    const std::string low = errorOf([&] { dead.bench().core("core"); });
    QVERIFY2(low.find("SWDIO stays low") != std::string::npos, low.c_str());
    CoreWorldOptions o;
    o.core = R"(, "shared": true)";  // it was not chosen
    CoreWorld other(o);
    const std::string silent = errorOf([&] { other.bench().core("core"); });
    QVERIFY2(silent.find("it said nothing)") != std::string::npos, silent.c_str());
  }

  void anAccessPortThatIsNotThereIsNamed() {
    CoreWorldOptions o;
    o.coreKeys = R"(, "ap": 3)";
    CoreWorld w(o);
    const std::string text = errorOf([&] { w.bench().core("core"); });
    QVERIFY2(text.find("no access port 3") != std::string::npos, text.c_str());
  }

  void aShortAnswerOfTheProbeIsALostLink() {
    const probe::SwdPacket packet{{0x05, 0, 1, 0x02}, {{false, 1, {true}, false}}};
    for (const Bytes& answer : {Bytes{}, Bytes{0x05}, Bytes{0x05, 1}, Bytes{0x05, 1, 1}, Bytes{0x05, 1, 1, 2, 3, 4},
                                Bytes{0x06, 1, 1, 2, 3, 4, 5}, Bytes{0x05, 2, 1, 2, 3, 4, 5, 6, 7, 8, 9}}) {
      probe::RegisterAnswers answers;
      try {
        packet.unpack(answer, answers);
        QFAIL("taken");
      } catch (const Error& e) {
        QCOMPARE(e.kind(), ErrorKind::LinkLost);
      }
    }
  }
};
IMPRIMO_TEST(DebugPortTest);
#include "tst_debug_port.moc"
