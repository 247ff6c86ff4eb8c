// SPDX-License-Identifier: GPL-3.0-or-later
//
// RAM as a memory, sums instead of reading, whole erases, and cores that are only attached to.
#include "core/debug/sector_sums.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using plan::Task;
using plan::Wanted;
using run::Outcome;
using run::Record;

namespace {

constexpr std::uint32_t kRam = 0x20000000;

CoreWorldOptions withRam() {
  CoreWorldOptions o;
  o.memories = R"(, {"name": "work", "type": "ram", "route": {"via": "core", "core": "core", "region": "sram"}})";
  return o;
}

Wanted inRam(CoreWorld& w, Task task, const MemoryImage& image = {}) {
  Wanted wanted = w.wanted(task, image);
  wanted.memory = "work";
  wanted.restart = false;
  return wanted;
}

void fill(CoreWorld& w, const Bytes& bytes) {
  std::copy(bytes.begin(), bytes.end(), w.chip().flash().begin());
}

}  // namespace

class CoreMemoriesTest : public QObject {
  Q_OBJECT
 private slots:
  /// Every byte is written as it is, 0xFF too, and nothing is erased.
  void ramIsWrittenAndConfirmed() {
    CoreWorld w(withRam());
    fill(w, firmware({0xE7FE}));
    w.chip().core().reset();
    Bytes bytes = bytesOf(5, 0x1234);
    std::fill(bytes.begin() + 0x400, bytes.begin() + 0x500, 0xFF);
    const Record record = w.carryOut(inRam(w, Task::Program, imageAt(kRam + 0x123, bytes)));
    QVERIFY2(record.good(), record.message.c_str());
    QVERIFY(record.erased.empty());
    for (std::size_t i = 0; i < bytes.size(); ++i)
      QCOMPARE(w.chip().load(kRam + 0x123 + static_cast<std::uint32_t>(i), 1).value(), bytes[i]);
    QVERIFY(w.carryOut(inRam(w, Task::Verify, imageAt(kRam + 0x123, bytes))).good());
    bytes[7] ^= 1;
    QCOMPARE(w.carryOut(inRam(w, Task::Verify, imageAt(kRam + 0x123, bytes))).outcome, Outcome::Mismatch);
    // RAM was changed, so the core is left at its first instruction.
    w.reconnect();
    QVERIFY(w.chip().core().halted());
    QCOMPARE(w.chip().core().pc(), 0xC0u);
    QCOMPARE(w.chip().load(kRam + 0x123, 1).value(), bytes[0]);
  }

  void ramIsNotErased() {
    CoreWorld w(withRam());
    Wanted wanted = inRam(w, Task::Erase);
    wanted.ranges = {{kRam, kRam + 0x400}};
    const Record record = w.carryOut(wanted);
    QVERIFY(!record.good());
    QVERIFY2(record.message.find("is RAM, which is not erased") != std::string::npos, record.message.c_str());
  }

  /// Started by the vector table that was loaded, not by the one in the flash.
  void whatIsLoadedIsStarted() {
    CoreWorld w(withRam());
    fill(w, firmware({0xE7FE}));
    w.chip().core().reset();
    Wanted wanted = inRam(w, Task::Program, imageAt(kRam + 0x400, bytesOf(1, 0)));
    Bytes code(0x40, 0);
    code[0x20] = 0xFE, code[0x21] = 0xE7;
    wanted.image.write(kRam + 0x400, code);
    wanted.restart = true;
    wanted.start = plan::StartFrom{"core", kRam + 0x421, kRam + 0x2000, {}};
    const Record record = w.carryOut(wanted);
    QVERIFY2(record.good(), record.message.c_str());
    w.pass(0.001);
    QCOMPARE(w.chip().core().pc(), kRam + 0x420);
    w.reconnect();
    QVERIFY(!w.chip().core().halted());
    QCOMPARE(w.chip().core().pc(), kRam + 0x420);
  }

  /// The core's sums are those that are made here, of any contents.
  void sumsAreTheSameOnBothSides() {
    CoreWorld w;
    const Bytes all = bytesOf(44, 0x8000);
    fill(w, all);
    debug::Core& core = w.bench().core("core").core();
    std::mt19937 random(5);
    Bytes ram = randomBytes(random, 0x1000);
    core.bus().write(kRam, ram);
    for (const std::uint32_t size : {64u, 256u, 0x1000u}) {
      const auto sums = debug::sumsByCore(core, {kRam, kRam + 0x4000}, 0x1000, size, 7);
      QCOMPARE(sums.size(), std::size_t{7});
      for (std::size_t i = 0; i < 7; ++i)
        QCOMPARE(sums[i], debug::sumOf(ByteSpan(all).subspan(0x1000 + i * size, size)));
    }
    // What it used of the RAM is as it was.
    Bytes now(ram.size());
    core.bus().read(kRam, now);
    QCOMPARE(now, ram);
  }

  /// A byte, swapped words, two top bits: none leaves the sum as it was.
  void sumsTellSmallDifferences() {
    std::mt19937 random(9);
    for (int i = 0; i < 2000; ++i) {
      const Bytes bytes = randomBytes(random, 256);
      Bytes other = bytes;
      switch (i % 3) {
        case 0:
          other[random() % 256] ^= static_cast<std::uint8_t>(1u << random() % 8);
          break;
        case 1: {
          const std::size_t a = random() % 64, b = random() % 64;
          std::swap_ranges(other.begin() + static_cast<std::ptrdiff_t>(4 * a),
                           other.begin() + static_cast<std::ptrdiff_t>(4 * a + 4),
                           other.begin() + static_cast<std::ptrdiff_t>(4 * b));
          break;
        }
        default:
          other[4 * (random() % 64) + 3] ^= 0x80;
          other[4 * (random() % 64) + 3] ^= 0x80;
      }
      QCOMPARE(debug::sumOf(other) == debug::sumOf(bytes), other == bytes);
    }
  }

  /// Nothing differs: next to nothing is read, the core goes on as it did.
  void whatAgreesIsFoundWithoutReadingIt() {
    CoreWorld w;
    Bytes all = bytesOf(45, 0x40000);
    const Bytes code = firmware({0xE7FE});
    std::copy(code.begin(), code.end(), all.begin());
    fill(w, all);
    w.chip().core().reset();
    w.pass(0.001);
    const std::uint64_t before = w.sim().board().clocks();
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0, all)));
    QCOMPARE(record.outcome, Outcome::Verified);
    QVERIFY(!record.changed);
    const std::uint64_t reading = 0x40000 / 4 * 46;
    QVERIFY2(w.sim().board().clocks() - before < reading / 5,
             std::to_string(w.sim().board().clocks() - before).c_str());
    w.reconnect();
    QVERIFY(!w.chip().core().halted());
    QCOMPARE(w.chip().core().pc(), 0xC0u);
    QCOMPARE(w.chip().resets(), 0u);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void allThatDiffersIsErasedInOneGo() {
    CoreWorld w;
    fill(w, bytesOf(46, 0x40000));
    const Bytes next = bytesOf(47, 0x40000);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0, next)));
    QVERIFY2(record.good(), record.message.c_str());
    QCOMPARE(w.chip().journal(), std::string("erase-all 0x00000000\n"));
    QVERIFY(w.chip().flash() == next);
  }

  void aCoreThatIsOnlyAttachedToIsReadAndNotWritten() {
    CoreWorldOptions o;
    o.coreKeys = R"(, "connect": "running")";
    CoreWorld w(o);
    const Bytes old = firmware({0xE7FE});
    fill(w, old);
    w.chip().core().reset();
    w.pass(0.001);
    QVERIFY(w.carryOut(w.wanted(Task::Verify, imageAt(0, old))).good());
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0x3000, bytesOf(2, 100))));
    QCOMPARE(record.outcome, Outcome::Refused);
    QVERIFY2(record.message.find("only attached to") != std::string::npos, record.message.c_str());
    QVERIFY(!w.chip().core().halted());
    QVERIFY(w.chip().journal().empty());
    QCOMPARE(w.chip().wordsProgrammed(), 0u);
  }

  /// In one session nothing is read again: the core was halted all the while.
  void aHaltedCoreIsProofOfContinuity() {
    CoreWorld w;
    fill(w, bytesOf(48, 0x6000));
    const Bytes next = bytesOf(49, 0x2000);
    QVERIFY(w.carryOut(w.wanted(Task::Program, imageAt(0x1000, next))).good());
    const Record again = w.carryOut(w.wanted(Task::Program, imageAt(0x1000, next)));
    QVERIFY(again.good());
    const std::string text = again.text();
    QVERIFY2(text.find("the core stayed halted") != std::string::npos, text.c_str());
    QVERIFY(text.find("bridge") == std::string::npos);
  }
};
IMPRIMO_TEST(CoreMemoriesTest);
#include "tst_core_memories.moc"
