// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/probe/dap/dap_probe.h"
#include "core/probe/mpsse/mpsse_probe.h"
#include "core/probe/open_probe.h"
#include "sim/bench_server.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

namespace {

std::string hex(ByteSpan bytes) {
  std::string text;
  for (const std::uint8_t b : bytes) text += fmt::format("{}{:02X}", text.empty() ? "" : " ", b);
  return text;
}

std::string packed(const jtag::ScanBatch& batch) {
  std::string text;
  MpssePacker packer([&](MpsseChunk&& chunk) {
    text += (text.empty() ? "" : " | ") + hex(chunk.commands);
    if (chunk.answer > 0) text += fmt::format(" -> {}", chunk.answer);
    if (chunk.wait.count() > 0) text += fmt::format(" wait {}", chunk.wait.count());
  });
  packer.add(batch);
  packer.flush();
  return text;
}

/// A scan with random captures and waits.
jtag::Scan randomScan(std::mt19937& random) {
  jtag::Scan scan;
  scan.into = random() % 4 == 0 ? jtag::Register::Instruction : jtag::Register::Data;
  const std::size_t bits = 1 + below(random, random() % 8 == 0 ? 40000 : 300);
  for (std::size_t i = 0; i < bits; ++i) scan.out.append(random() % 2 == 0);
  if (scan.into == jtag::Register::Instruction) scan.out = BitVector(bits, true);  // other codes may do anything
  for (std::size_t at = below(random, bits); at < bits && scan.captures.size() < 6;) {
    const std::size_t end = at + 1 + below(random, bits - at);
    scan.captures.push_back({at, end});
    at = end + 1 + below(random, 100);
  }
  for (std::size_t at = below(random, bits); at < bits && scan.waits.size() < 2; at += 1 + below(random, bits)) {
    scan.waits.push_back({at, std::chrono::microseconds(1 + below(random, 50))});
  }
  return scan;
}

}  // namespace

class MpsseTest : public QObject {
  Q_OBJECT
 private slots:
  void scansAreFewCommands() {
    jtag::ScanBatch batch;
    batch.reset().send(jtag::Register::Instruction, BitVector::fromWireText("1011"));
    // TMS 111110; TMS 1100; three bits; the last one with TMS 1, then 1 0
    COMPARE_TEXT(packed(batch), "4B 05 9F 4B 03 03 1B 02 05 4B 02 83");
    jtag::ScanBatch read;
    read.exchange(jtag::Register::Data, BitVector(17, true));
    COMPARE_TEXT(packed(read), "4B 02 01 39 01 00 FF FF 6B 02 83 -> 3");
    COMPARE_TEXT(packed(jtag::ScanBatch().idle(21).delay(std::chrono::microseconds(70))), "8F 01 00 8E 04 wait 70");
  }

  void longShiftsUseTheClock() {
    jtag::ScanBatch batch;
    batch.send(jtag::Register::Data, BitVector(1 << 20, true));
    std::size_t bytes = 0;
    std::uint64_t clocks = 0;
    MpssePacker packer([&](MpsseChunk&& chunk) {
      bytes += chunk.commands.size();
      clocks += chunk.clocks;
    });
    packer.add(batch);
    packer.flush();
    QVERIFY2(static_cast<double>(clocks) / (8.0 * static_cast<double>(bytes)) > 0.95,
             qPrintable(QString::number(bytes)));
  }

  void answersAreWhatACmsisDapProbeGives() {
    std::mt19937 random(60);
    for (int round = 0; round < 60; ++round) {
      World byDap, byMpsse({.mpsse = true});
      jtag::ScanBatch batch;
      batch.reset();
      jtag::Rest rest = jtag::Rest::Idle;
      jtag::Register into = jtag::Register::Data;
      for (int i = 0; i < 6; ++i) {
        jtag::Scan scan = randomScan(random);
        scan.from = rest;
        if (rest == jtag::Rest::Shift && scan.into != into) scan = {into, BitVector(9, true), {{2, 5}}, {}, rest, {}};
        into = scan.into;
        scan.until = rest = i < 5 ? static_cast<jtag::Rest>(below(random, 3)) : jtag::Rest::Idle;
        batch.add(std::move(scan));
        if (rest != jtag::Rest::Idle) continue;
        if (random() % 3 == 0) batch.idle(static_cast<std::uint32_t>(below(random, 30)));
        if (random() % 5 == 0) batch.delay(std::chrono::microseconds(below(random, 300)));
      }
      QVERIFY(byDap.bench().chain().port().run(batch) == byMpsse.bench().chain().port().run(batch));
      QCOMPARE(byDap.sim().board().dataClocks(), byMpsse.sim().board().dataClocks());
      COMPARE_TEXT(byMpsse.sim().violations(), byDap.sim().violations());
    }
  }

  void noTransferWaitsForAnAnswerThatItDoesNotNeed() {
    World world;
    auto owned = std::make_unique<LoopStream>(world.sim());
    LoopStream& stream = *owned;
    MpsseProbe probe(std::move(owned), genericAdapter(), atClock(30'000'000));
    const std::size_t before = stream.reads;
    jtag::ScanBatch out;
    for (int i = 0; i < 30; ++i) out.send(jtag::Register::Data, BitVector(9000, false));
    probe.run(out);
    QCOMPARE(stream.reads, before);  // nothing was captured, nothing was asked

    stream.mostUnread = 0;
    jtag::ScanBatch in;
    in.exchange(jtag::Register::Data, BitVector(200000, false));
    probe.run(in);
    // Two chunks are under way, and never more than the engine can keep.
    QVERIFY(stream.mostUnread > MpsseLimits{}.answer && stream.mostUnread <= 4096);
  }

  void aFlashIsWrittenAndReadThroughIt() {
    World world({.packetSize = 512, .mpsse = true});
    std::mt19937 random(3);
    MemoryImage image;
    image.write(0x1234, randomBytes(random, 9000));
    const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
    QVERIFY2(record.outcome == run::Outcome::Verified, record.message.c_str());
    QCOMPARE(world.cells(0x1234, 9000), image.bytes({0x1234, 0x1234 + 9000}));
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void theClockIsNeverFasterThanAsked() {
    World world({.mpsse = true});
    for (const std::uint32_t hz : {500u, 999u, 1'000'000u, 7'000'000u, 30'000'000u, 60'000'000u}) {
      world.bench().probe().setClock(hz);
      QVERIFY(world.bench().probe().clockHz() <= hz);
    }
    QCOMPARE(world.bench().probe().clockHz(), 30'000'000u);
    world.bench().probe().setClock(7'000'000);
    QCOMPARE(world.bench().probe().clockHz(), 6'000'000u);
  }

  void unpluggedAnywhereItSaysSo() {
    for (std::uint64_t n = 0; n < 40; ++n) {
      World world({.mpsse = true});
      world.sim().dropLinkAtPacket(n);
      const auto kind = kindOf([&] {
        world.bench().examine();
        world.bench().checkLink(50);
      });
      QVERIFY(!kind || *kind == ErrorKind::LinkLost || *kind == ErrorKind::NoProbe);
      if (n < 8) QVERIFY(kind.has_value());
    }
  }

  void answersThatLieAreNoticed() {
    for (std::uint64_t n = 0; n < 20; ++n) {
      for (const bool cut : {false, true}) {
        World world({.mpsse = true});
        cut ? world.sim().shortenAnswerAtPacket(n) : world.sim().refuseAtPacket(n);
        const auto kind = kindOf([&] { world.bench().checkChain(); });
        QVERIFY(!kind || *kind == ErrorKind::LinkLost || *kind == ErrorKind::NoProbe ||
                *kind == ErrorKind::BrokenChain);
      }
    }
  }

  void whatIsNoEngineIsRefused() {
    class Silent : public ByteStream {
     public:
      explicit Silent(Bytes said) : said_(std::move(said)) {}
      void write(ByteSpan) override {}
      Bytes read(std::size_t count, std::chrono::milliseconds) override {
        if (said_.size() < count) throw Error(ErrorKind::LinkLost, "no answer within 2000 ms");
        return said_;
      }
      void wait(std::chrono::microseconds) override {}
      std::string name() const override { return "silent"; }
      Bytes said_;
    };
    VERIFY_CONTAINS(errorOf([] { MpsseProbe(std::make_unique<Silent>(Bytes{}), genericAdapter(), {}); }),
                    "does not answer as a serial engine does");
    // A full-speed engine knows neither 0x8A nor what comes behind it.
    VERIFY_CONTAINS(errorOf([] {
                      MpsseProbe(std::make_unique<Silent>(Bytes{0xFA, 0x8A}), genericAdapter(), {});
                    }),
                    "does not know the command 0x8A");
  }

  void aCardSaysWhatIsWiredWhere() {
    const AdapterCard card = parseAdapterCard(R"({"imprimo_adapter": 1, "name": "bench adapter",
      "usb": [{"vendor": "0x0403", "product": "0x6010", "text": "Gauge"}], "channel": "B", "drive": {"D4": "low", "C2": "high"},
      "reset": {"pin": "C1", "asserted": "low", "released": "driven"}, "sense": {"pin": "D6", "powered": "high"},
      "highest_clock": 15000000})",
                                              "card");
    QCOMPARE(card.channel, 'B');
    QCOMPARE(card.drive.size(), 2u);
    QCOMPARE(card.reset->number, 9);
    QVERIFY(!card.resetOpenDrain);
    const auto error = [](const char* text) { return errorOf([&] { parseAdapterCard(text, "c"); }); };
    COMPARE_TEXT(error(R"({"imprimo_adapter": 1, "name": "x", "drive": {"D3": "low"}})"),
                 "c:1: drive: 'D3' is no pin: D4 to D7 and C0 to C7 are");
    COMPARE_TEXT(error(R"({"imprimo_adapter": 2, "name": "x"})"),
                 "c:1: imprimo_adapter: this program reads adapter cards of version 1");
    COMPARE_TEXT(error(R"({"imprimo_adapter": 1, "name": "x", "speed": 1})"), "c:1: there is no key speed");
    const std::vector<AdapterCard> cards{card, genericAdapter()};
    COMPARE_TEXT(cardFor(cards, 0x0403, 0x6010, "River Gauge 2")->name, "bench adapter");
    COMPARE_TEXT(cardFor(cards, 0x0403, 0x6010, "Other")->name, "generic");
    QVERIFY(cardFor(cards, 0x1209, 1, "Gauge") == nullptr);
  }

  void buffersAreEnabledAndResetIsPulled() {
    const auto bench =
        sim::parseBench(R"({"imprimo_bench": 1, "mpsse": {"enable": "D4", "reset": "C1", "reset_level": 0},
      "chain": [{"name": "p", "ir_length": 4, "idcode": "0x1FFD", "instructions": [{"opcode": "0001", "register": "idcode"}]}]})",
                        "b");
    MpsseProbe generic(std::make_unique<LoopStream>(*bench), genericAdapter(), {});
    VERIFY_CONTAINS(errorOf([&] { jtag::examine(generic, {}); }), "TDO stays at 1");
    VERIFY_CONTAINS(errorOf([&] { generic.pulseReset(std::chrono::milliseconds(1)); }),
                    "no wire to the target's reset is known");
    AdapterCard card = genericAdapter();
    card.drive = {{4, false}};
    card.reset = AdapterCard::Pin{9, false};
    MpsseProbe wired(std::make_unique<LoopStream>(*bench), card, {});
    QCOMPARE(jtag::examine(wired, {}).devices.size(), 1u);
    wired.pulseReset(std::chrono::milliseconds(1));
    QCOMPARE(bench->board().resets(), 1u);
    COMPARE_TEXT(bench->violations(), "");
  }

  void theWholeDriverRunsOverTcp() {
    World world;
    sim::BenchServer server(world.sim(), {.mpsse = true, .clientLeft = {}});
    const auto probe = openProbe(server.address(), {});
    COMPARE_TEXT(probe->info().kind, "MPSSE");
    QCOMPARE(jtag::examine(tapOf(*probe), {}).devices.size(), 3u);
    QVERIFY(probe->roundTrip().count() > 0);
  }
};
IMPRIMO_TEST(MpsseTest);
#include "tst_mpsse.moc"
