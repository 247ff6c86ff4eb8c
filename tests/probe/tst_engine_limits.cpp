// SPDX-License-Identifier: GPL-3.0-or-later
//
// Serial engines as they are sold: with 1, 2 or 4 KiB for answers, and with clocks that go on after the host has
// written them.
#include <fmt/format.h>

#include "core/probe/mpsse/mpsse_probe.h"
#include "core/svf/player.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

namespace {

WorldOptions withBuffer(std::size_t bytes) {
  WorldOptions options;
  options.mpsse = true;
  options.bench = fmt::format(R"(, "mpsse": {{"buffer": {}}})", bytes);
  return options;
}

/// An engine with a host's clock beside it.
struct Station {
  explicit Station(std::uint32_t hz, std::size_t buffer = 1024) : world(withBuffer(buffer)) {
    auto owned = std::make_unique<LoopStream>(world.sim());
    stream = owned.get();
    probe = std::make_unique<MpsseProbe>(std::move(owned), genericAdapter(), atClock(hz));
  }
  double hostSeconds() const { return sim::toSeconds(stream->cable().hostTime()); }

  svf::PlayResult play(const std::string& text, std::stop_source* stop = nullptr, double stopAfter = 0) {
    struct Watch : svf::PlayObserver {
      std::function<void()> each;
      void advanced(const svf::Played&) override { each(); }
    } watch;
    const double began = hostSeconds();
    watch.each = [&] {
      if (stop != nullptr && hostSeconds() - began > stopAfter) stop->request_stop();
    };
    svf::Reader reader(svf::sourceOf(text), "f.svf");
    return svf::play(reader, *probe, {}, watch, stop != nullptr ? stop->get_token() : std::stop_token{});
  }

  World world;
  LoopStream* stream = nullptr;
  std::unique_ptr<MpsseProbe> probe;
};

/// Part of the slots of the command stream that are clocks.
double slotsUsed(Station& s, bool readBack) {
  jtag::ScanBatch batch;
  readBack ? batch.exchange(jtag::Register::Data, BitVector(1 << 20, false))
           : batch.send(jtag::Register::Data, BitVector(1 << 20, false));
  const auto bytes = s.stream->written;
  const auto clocks = s.world.sim().board().clocks();
  s.probe->run(batch);
  return static_cast<double>(s.world.sim().board().clocks() - clocks) /
         (8.0 * static_cast<double>(s.stream->written - bytes));
}

}  // namespace

class EngineLimitsTest : public QObject {
  Q_OBJECT
 private slots:
  void aFlashIsWrittenAndReadThroughEachChip() {
    for (const std::size_t buffer : {1024u, 2048u, 4096u}) {
      World world(withBuffer(buffer));
      std::mt19937 random(17);
      MemoryImage image;
      image.write(0x2345, randomBytes(random, 20'000));
      const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
      QVERIFY2(record.outcome == run::Outcome::Verified, record.message.c_str());
      QCOMPARE(world.cells(0x2345, 20'000), image.bytes({0x2345, 0x2345 + 20'000}));
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  void noMoreIsLeftUnreadThanTheChipKeeps() {
    for (const std::size_t buffer : {1024u, 2048u, 4096u}) {
      Station s(30'000'000, buffer);
      s.probe->run(jtag::ScanBatch().exchange(jtag::Register::Data, BitVector(300'000, true)));
      std::vector<RawClocks> raw(5000, RawClocks{false, BitVector(3, true), true});
      s.probe->clockRaw(raw);
      QVERIFY(s.stream->mostUnread > buffer / 2 && s.stream->mostUnread <= buffer);
    }
  }

  void aChipThatIsAskedForMoreStalls() {
    // What the host must not do: the stand-in has to refuse it, or nothing above proves anything.
    World world(withBuffer(1024));
    LoopStream stream(world.sim());
    Bytes commands{0x80, 8, 0x0B};
    for (int i = 0; i < 4; ++i) {
      commands.insert(commands.end(), {0x39, 0xE7, 0x03});
      commands.insert(commands.end(), 1000, 0xFF);
    }
    VERIFY_CONTAINS(errorOf([&] { stream.write(commands); }), "it takes no more data");
    QCOMPARE(world.sim().mpsse().answers(), 1024u);
  }

  void longShiftsKeepTheClockBusy() {
    for (const auto& [buffer, least] : {std::pair{1024u, 0.90}, {2048u, 0.90}, {4096u, 0.95}}) {
      Station s(30'000'000, buffer);
      QVERIFY(slotsUsed(s, false) > 0.95);
      QVERIFY(slotsUsed(s, true) > least);
    }
  }

  void whatIsQueuedIsKnown() {
    for (const std::uint32_t hz : {500u, 2'000u, 10'000u, 1'000'000u, 30'000'000u}) {
      Station s(hz);
      const double clocks = std::max(64.0, 1.7 * s.probe->clockHz());
      const double began = s.hostSeconds();
      jtag::ScanBatch batch;
      batch.idle(static_cast<std::uint32_t>(clocks)).exchange(jtag::Register::Data, BitVector(40, true));
      s.probe->run(batch);  // "no answer within 2000 ms" where the limit knows only of its own clocks
      QVERIFY(s.hostSeconds() - began >= 0.99 * clocks / s.probe->clockHz());
      s.probe->run(
          jtag::ScanBatch().send(jtag::Register::Data, BitVector(std::min<std::size_t>(65'536, hz * 2), true)));
      QVERIFY2(sim::toSeconds(s.stream->cable().mostAhead()) <= 0.1,
               qPrintable(QString::number(sim::toSeconds(s.stream->cable().mostAhead()))));
    }
  }

  void aFileThatEndsWithClocksIsPlayedWhenTheyAreOver() {
    for (const char* text : {"RUNTEST 2000000 TCK;", "RUNTEST 2 SEC;", "STATE DRPAUSE;RUNTEST DRPAUSE 2000000 TCK;"}) {
      Station s(1'000'000);
      const double began = s.hostSeconds();
      s.play(text);
      QVERIFY2(s.hostSeconds() - began > 1.98, text);
      s.probe.reset();
      COMPARE_TEXT(s.world.sim().violations(), "");
    }
  }

  void whatIsStillQueuedIsNotCutOff() {
    Station s(1'000'000);
    s.probe->run(jtag::ScanBatch().idle(9'000));
    s.probe.reset();
    COMPARE_TEXT(s.world.sim().violations(), "");
    QVERIFY(s.world.sim().board().device(0).isReset());
  }

  void aStopEndsAWait() {
    for (const char* text : {"RUNTEST 60000000 TCK;", "RUNTEST 60 SEC;"}) {
      Station s(1'000'000);
      const double began = s.hostSeconds();
      std::stop_source stop;
      QVERIFY(s.play(text, &stop, 0.3).end == svf::PlayResult::End::Stopped);
      QVERIFY(s.hostSeconds() - began < 0.6);
    }
  }
};
IMPRIMO_TEST(EngineLimitsTest);
#include "tst_engine_limits.moc"
