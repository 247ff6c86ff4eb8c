// SPDX-License-Identifier: GPL-3.0-or-later
//
// A debug port in the middle of a chain: the same work as over SWD, by DPACC and APACC scans.
#include <fmt/format.h>

#include "core/debug/jtag_wires.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using imprimo::plan::Task;
using imprimo::run::Record;

namespace {

constexpr std::uint32_t kRam = 0x20000000;

CoreWorldOptions onJtag(const std::string& core = {}) {
  CoreWorldOptions o;
  o.jtag = true;
  o.core = core;
  return o;
}

}  // namespace

class JtagPortTest : public QObject {
  Q_OBJECT
 private slots:
  void thePortIsBroughtUpAndSaysWhoItIs_data() {
    QTest::addColumn<int>("irLength");
    for (const int length : {4, 5, 8}) QTest::addRow("%d bits", length) << length;
  }

  void thePortIsBroughtUpAndSaysWhoItIs() {
    QFETCH(const int, irLength);
    CoreWorldOptions o = onJtag();
    o.irLength = static_cast<std::uint32_t>(irLength);
    CoreWorld w(o);
    w.bench().checkChain();
    bench::BenchCore& core = w.bench().core("core");
    QCOMPARE(core.port().dpidr(), 0x0C602FFBu);
    QCOMPARE(core.port().targetId().value(), 0x01C60FFBu);
    QCOMPARE(core.port().accessPorts(), std::vector<debug::AccessPort>{{0}});
    QCOMPARE(core.bus().base().value(), 0xE00FF000u);
    QCOMPARE(core.core().cpuid(), 0x410CC200u);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// A port of version 0 has no DPIDR, and clears its flags in CTRL/STAT.
  void aPortOfTheFirstVersionIsKnownByItsIdcode() {
    CoreWorld w(onJtag(R"(, "dpidr": "0x0BA00477", "wait_every": 5)"));
    bench::BenchCore& core = w.bench().core("core");
    QCOMPARE(core.port().dpidr(), 0x0BA0AFFBu);
    const Bytes bytes = bytesOf(3, 300);
    core.bus().write(kRam + 0x101, bytes);
    Bytes back(bytes.size());
    core.bus().read(kRam + 0x101, back);
    QCOMPARE(back, bytes);
    QVERIFY(errorOf([&] { core.bus().readWord(0x50000000); }) != "no error");
    QCOMPARE(core.bus().readWord(0x40000000), 0xC6000001u);
  }

  void bytesComeAndGoAtAnyAddress_data() {
    QTest::addColumn<int>("size");
    QTest::addColumn<bool>("atomic");
    QTest::addColumn<int>("wait");
    QTest::addColumn<double>("access");
    for (const int size : {64, 4096}) {
      for (const bool atomic : {false, true}) {
        for (const int wait : {0, 3, 97}) {
          for (const double access : {0.0, 20.0})
            QTest::addRow("%d %d %d %g", size, atomic, wait, access) << size << atomic << wait << access;
        }
      }
    }
  }

  /// With a port that has no time at a rate, and a bus that is slow all the time.
  void bytesComeAndGoAtAnyAddress() {
    QFETCH(const int, size);
    QFETCH(const bool, atomic);
    QFETCH(const int, wait);
    QFETCH(const double, access);
    CoreWorldOptions o = onJtag(fmt::format(R"(, "wait_every": {}, "access_us": {})", wait, access));
    o.packetSize = static_cast<std::size_t>(size);
    o.probe = fmt::format(R"(, "atomic_commands": {})", atomic);
    CoreWorld w(o);
    debug::MemAp& bus = w.bench().core("core").bus();
    for (const auto& [at, length] : {std::pair{0x3F7u, 0xC01u}, {0u, 4u}, {3u, 1u}, {0x7FEu, 5u}, {0x2000u, 0x1000u}}) {
      const Bytes bytes = bytesOf(at + length, length);
      bus.write(kRam + at, bytes);
      Bytes back(length);
      bus.read(kRam + at, back);
      QCOMPARE(back, bytes);
    }
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// The bus says no in the middle of a batch: the address is found, and the port works on.
  void aBusErrorHasItsAddress() {
    CoreWorld w(onJtag());
    debug::MemAp& bus = w.bench().core("core").bus();
    Bytes bytes(0x900);
    for (const bool writes : {false, true}) {
      const std::string text = errorOf([&] {
        if (writes) {
          bus.write(kRam + 0x3E00, bytes);
        } else {
          bus.read(kRam + 0x3E00, bytes);
        }
      });
      QVERIFY2(text.find("0x20004000") != std::string::npos, text.c_str());
      bus.writeWord(kRam, 0x12345678);
      QCOMPARE(bus.readWord(kRam), 0x12345678u);
    }
  }

  void aFlashIsProgrammedAndTheCoreRestarted() {
    CoreWorldOptions o = onJtag(R"(, "wait_every": 211)");
    o.sheet = R"(, "after": ["restart"])";
    CoreWorld w(o);
    const Bytes fresh = bytesOf(12, 0x5123);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0x1F00, fresh)));
    QVERIFY2(record.good(), record.message.c_str());
    QVERIFY(std::equal(fresh.begin(), fresh.end(), w.chip().flash().begin() + 0x1F00));
    QVERIFY(!w.chip().core().halted());
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// Reset is held before the chain is looked at.
  void aCoreIsCaughtUnderReset() {
    CoreWorldOptions o = onJtag();
    o.coreKeys = R"(, "connect": "under-reset")";
    CoreWorld w(o);
    w.bench().checkChain();
    QVERIFY(w.bench().core("core").core().haltedAllTheWhile());
    QVERIFY(w.chip().resets() >= 1);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0x1000, bytesOf(4, 700))));
    QVERIFY2(record.good(), record.message.c_str());
  }

  /// A device that is none does not answer as one would, and it is said which.
  void aDeviceThatIsNoDebugPortIsTold() {
    CoreWorldOptions o = onJtag();
    CoreWorld w(o);
    sheet::Sheet sheet = w.sheet();
    sheet.cores.front().position = 1;
    w.bench().setSheet(sheet);
    const std::string text = errorOf([&] { w.bench().core("core"); });
    QVERIFY2(text.find("no debug port answers on JTAG") != std::string::npos, text.c_str());
    sheet.chain[0].irLength = 2;
    const std::string shorter =
        errorOf([&] { debug::PortInstructions::of("front", sheet.chain[0].irLength, nullptr); });
    QVERIFY2(shorter.find("2 bits") != std::string::npos, shorter.c_str());
  }

  /// What its description has at a debug port's code is not loaded.
  void aDescriptionWithAnotherUseOfTheCodeIsRefused() {
    bsdl::BoundaryDescription description;
    description.entity = "REED_X";
    description.instructionLength = 4;
    description.instructions = {{"EXTEST", {"1010"}, false}};
    const std::string text = errorOf([&] { debug::PortInstructions::of("reed", 4, &description); });
    QVERIFY2(text.find("EXTEST") != std::string::npos, text.c_str());
    description.instructions = {{"DPACC", {"0101"}, false}, {"APACC", {"0110"}, true}};
    const auto own = debug::PortInstructions::of("reed", 4, &description);
    QCOMPARE(own.dpacc, BitVector::fromLsbFirst(0b0101, 4));
    QCOMPARE(own.apacc, BitVector::fromLsbFirst(0b0110, 4));
    QCOMPARE(own.abort, BitVector::fromLsbFirst(0b1000, 4));
  }

  /// Scans are the size that they have to be: 35 bits, the two devices beside it, and the way around.
  void downloadsTakeTheirScansAndLittleMore() {
    CoreWorld w(onJtag());
    debug::MemAp& bus = w.bench().core("core").bus();
    bus.writeWord(kRam, 0);
    constexpr std::size_t kSize = 0x3000, kWords = kSize / 4, kAround = 4;
    const Bytes bytes = bytesOf(1, kSize);
    Bytes back(kSize);
    const auto clocks = [&](auto&& work) {
      const std::uint64_t before = w.sim().board().clocks();
      work();
      return static_cast<double>(w.sim().board().clocks() - before);
    };
    const double most = 1.1 * kWords * (35 + 2 + kAround);
    QVERIFY(clocks([&] { bus.write(kRam, bytes); }) <= most);
    QVERIFY(clocks([&] { bus.read(kRam, back); }) <= most);
    QCOMPARE(back, bytes);
  }
};
IMPRIMO_TEST(JtagPortTest);
#include "tst_jtag_port.moc"
