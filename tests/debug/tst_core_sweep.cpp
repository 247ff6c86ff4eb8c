// SPDX-License-Identifier: GPL-3.0-or-later
//
// Something breaks once, at every place of a run into a core's flash: the link, an answer, an access, a bit on the
// wires, the power, a reset. Whatever it is, the record says what is so, nothing outside the plan changes, and the next
// run succeeds. IMPRIMO_CORE_SWEEP_RUNS says how many such runs there are (150 if not given; ./run nightly asks for
// more).
#include <fmt/format.h>

#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

constexpr std::size_t kData = 0x6000;
constexpr AddressRange kKept{0x3000, 0x3800};

enum class Breaks { Link, Refusal, ShortAnswer, Fault, Bit, Power, Reset, ShortStorm, LongStorm, Lie, Hang };
/// A core that hangs is waited for more than a second, so that comes more rarely than the rest.
constexpr Breaks kOften[] = {Breaks::Link,       Breaks::Refusal,  Breaks::ShortAnswer, Breaks::Fault,
                             Breaks::Bit,        Breaks::Power,    Breaks::Reset,       Breaks::Lie,
                             Breaks::ShortStorm, Breaks::LongStorm};
constexpr const char* kNames[] = {"link",  "refusal",     "short answer", "fault", "bit", "power",
                                  "reset", "short storm", "long storm",   "lie",   "hang"};

struct Scene {
  explicit Scene(unsigned variant) : world(options(variant)) {
    std::mt19937 random(900 + variant);
    old = randomBytes(random, kData);
    old.resize(0x40000, 0xFF);
    std::copy(old.begin(), old.end(), world.chip().flash().begin());
    wanted = world.wanted(Task::Program);
    wanted.image.write(0xB00, randomBytes(random, 0x1700));
    wanted.image.write(0x5F00, randomBytes(random, 0x300));
    expected = old;
    for (const MemoryImage::Segment& s : wanted.image.segments())
      std::copy(s.bytes.begin(), s.bytes.end(), expected.begin() + static_cast<std::ptrdiff_t>(s.begin));
  }
  static CoreWorldOptions options(unsigned variant) {
    CoreWorldOptions o;
    o.sheet = R"(, "keep": [{"memory": "program", "from": "0x3000", "to": "0x37FF"}])";
    if (variant % 2 == 1) o.sheet += R"(, "after": ["restart"])";
    // Two of eight on a chain.
    o.jtag = variant >= 6;
    if (variant % 3 == 1) o.core = o.jtag ? R"(, "wait_every": 61)" : R"(, "wait_every": 5)";
    if (variant % 3 == 2) o.packetSize = 64, o.packetCount = 1, o.probe = R"(, "atomic_commands": false)";
    return o;
  }
  bool holds(const Bytes& bytes) { return world.chip().flash() == bytes; }
  /// Blocks of 4 KiB that the plan does not name are as they were, and so is what is kept.
  bool restUntouched() {
    const Bytes& now = world.chip().flash();
    for (std::size_t block = 0; block < old.size(); block += 0x1000) {
      const bool planned = wanted.image.touches({block, block + 0x1000});
      if (!planned && !std::equal(now.begin() + static_cast<std::ptrdiff_t>(block),
                                  now.begin() + static_cast<std::ptrdiff_t>(block + 0x1000),
                                  old.begin() + static_cast<std::ptrdiff_t>(block)))
        return false;
    }
    return std::equal(now.begin() + kKept.begin, now.begin() + kKept.end, old.begin() + kKept.begin);
  }

  CoreWorld world;
  Wanted wanted;
  Bytes old, expected;
};

struct Length {
  std::uint64_t packets = 0, accesses = 0, clocks = 0, operations = 0;
  sim::Time time = 0;
};

Length wholeRun(unsigned variant) {
  Scene s(variant);
  s.world.bench();
  sim::Board& board = s.world.sim().board();
  const Length before{s.world.sim().packets(), board.debugPort().accesses(), board.clocks(),
                      s.world.chip().operations(), board.now()};
  if (!s.world.carryOut(s.wanted).good()) return {};
  return {s.world.sim().packets() - before.packets, board.debugPort().accesses() - before.accesses,
          board.clocks() - before.clocks, s.world.chip().operations() - before.operations, board.now() - before.time};
}

void breakIt(Scene& s, Breaks breaks, const Length& whole, double share) {
  sim::Bench& bench = s.world.sim();
  const auto of = [share](std::uint64_t all) { return static_cast<std::uint64_t>(share * static_cast<double>(all)); };
  switch (breaks) {
    case Breaks::Link:
      return bench.dropLinkAtPacket(bench.packets() + of(whole.packets));
    case Breaks::Refusal:
      return bench.refuseAtPacket(bench.packets() + of(whole.packets));
    case Breaks::ShortAnswer:
      return bench.shortenAnswerAtPacket(bench.packets() + of(whole.packets));
    case Breaks::Fault:
      return bench.board().debugPort().faultAtAccess(bench.board().debugPort().accesses() + 1 + of(whole.accesses));
    case Breaks::Bit:
      // Scans have no parity: what is sent wrongly to a port on a chain is done.
      if (s.world.onJtag()) return bench.refuseAtPacket(bench.packets() + of(whole.packets));
      return bench.board().swdWire().flipBitAfter(of(whole.clocks));
    case Breaks::ShortStorm:
      return bench.board().debugPort().stormAtAccess(bench.board().debugPort().accesses() + of(whole.accesses), 12);
    case Breaks::LongStorm:
      return bench.board().debugPort().stormAtAccess(bench.board().debugPort().accesses() + of(whole.accesses),
                                                     100'000);
    case Breaks::Lie:
      return s.world.chip().skipOperation(s.world.chip().operations() + of(whole.operations));
    case Breaks::Hang:
      return s.world.chip().hangOperation(s.world.chip().operations() + of(whole.operations));
    case Breaks::Power:
      return bench.board().addFault(
          {.kind = sim::BoardFault::Kind::NoPower, .until = bench.board().now() + of(whole.time)});
    case Breaks::Reset:
      return s.world.chip().resetAt(bench.board().now() + of(whole.time));
  }
}

}  // namespace

class CoreSweepTest : public QObject {
  Q_OBJECT
 private slots:
  void whateverBreaksTheRecordIsTrue() {
    const int runs = qEnvironmentVariableIntValue("IMPRIMO_CORE_SWEEP_RUNS") > 0
                         ? qEnvironmentVariableIntValue("IMPRIMO_CORE_SWEEP_RUNS")
                         : 150;
    Length whole[8];
    for (unsigned v = 0; v < 8; ++v) {
      whole[v] = wholeRun(v);
      QVERIFY2(whole[v].packets > 0, std::to_string(v).c_str());
    }
    std::mt19937 random(19);
    int failed = 0, recovered = 0;
    for (int i = 0; i < runs; ++i) {
      const auto variant = static_cast<unsigned>(i) % 8;
      const Breaks breaks = i % 33 == 32 ? Breaks::Hang : kOften[static_cast<std::size_t>(i) % std::size(kOften)];
      const double share = static_cast<double>(random() % 1000) / 1000;
      const std::string where =
          fmt::format("run {}: {} at {:.3f} of variant {}", i, kNames[static_cast<int>(breaks)], share, variant);
      Scene s(variant);
      s.world.bench();
      breakIt(s, breaks, whole[variant], share);
      const Record record = s.world.carryOut(s.wanted);
      if (record.good()) {
        ++recovered;
        QVERIFY2(s.holds(s.expected), where.c_str());
      } else {
        ++failed;
        if (!record.changed) QVERIFY2(s.holds(s.old), (where + ": " + record.message).c_str());
      }
      QVERIFY2(s.restUntouched(), (where + ": " + record.message).c_str());
      s.world.sim().restoreLink();
      s.world.sim().board().repair();
      s.world.sim().board().debugPort().stormAtAccess(UINT64_MAX, 0);
      s.world.reconnect();
      Wanted again = s.wanted;
      again.earlier = i % 4 == 0 ? Wanted::Earlier::Finish : Wanted::Earlier::Forget;
      const Record next = s.world.carryOut(again);
      QVERIFY2(next.good(), (where + ", and then: " + next.message + "; first: " + record.message +
                             "; bench: " + s.world.sim().violations())
                                .c_str());
      QVERIFY2(s.restUntouched(), where.c_str());
      for (const MemoryImage::Segment& seg : s.wanted.image.segments()) {
        QVERIFY2(std::equal(seg.bytes.begin(), seg.bytes.end(),
                            s.world.chip().flash().begin() + static_cast<std::ptrdiff_t>(seg.begin)),
                 where.c_str());
      }
    }
    QVERIFY2(failed > runs / 4 && recovered > runs / 8,
             fmt::format("{} failed, {} recovered", failed, recovered).c_str());
  }
};
IMPRIMO_TEST(CoreSweepTest);
#include "tst_core_sweep.moc"
