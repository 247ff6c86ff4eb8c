// SPDX-License-Identifier: GPL-3.0-or-later
//
// Several debug ports on the two wires, ports that sleep, boards with cores on both kinds of wires, and ROM tables.
#include <fmt/format.h>

#include "core/debug/mem_ap.h"
#include "core/debug/rom_table.h"
#include "core/debug/swd_wires.h"
#include "core/jtag/chain.h"
#include "core/probe/dap/dap_probe.h"
#include "core/probe/mpsse/mpsse_probe.h"
#include "sim/bench.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// Two equal chips on the wires, told apart by their instance, both dormant after power-up.
struct Pair {
  explicit Pair(const std::string& keys = R"("shared": true, "dormant": true)")
      : bench(sim::parseBench(fmt::format(R"({{"imprimo_bench": 1, "cores": [
 {{"name": "one", "target": "0x01002927", "instance": 0, "identity": "0xC6000001", {0}}},
 {{"name": "two", "target": "0x01002927", "instance": 1, "identity": "0xC6000002", {0}}}]}})",
                                          keys),
                              "pair.json")) {
    probe::ProbeOptions options = atClock(10'000'000);
    options.wires = probe::Wires::Swd;
    probe = std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(*bench), options);
  }
  std::uint32_t identityOf(std::uint32_t target) {
    debug::SwdWires wires(*probe->swd(), target);
    debug::DebugPort port(wires);
    port.connect();
    debug::MemAp bus(port, {0});
    bus.identify();
    return bus.readWord(0x40000000);
  }
  std::unique_ptr<sim::Bench> bench;
  std::unique_ptr<probe::DapProbe> probe;
};

/// One chip on the wires, with its bus.
struct One {
  explicit One(const std::string& keys = {})
      : bench(sim::parseBench(fmt::format(R"({{"imprimo_bench": 1, "core": {{"name": "one"{}}}}})", keys), "one.json")),
        probe(std::make_unique<LoopTransport>(*bench), onSwd()),
        wires(*probe.swd()),
        port(wires),
        bus(port, {0}) {
    port.connect();
    bus.identify();
  }
  static probe::ProbeOptions onSwd() {
    probe::ProbeOptions options = atClock(1'000'000);
    options.wires = probe::Wires::Swd;
    return options;
  }
  std::unique_ptr<sim::Bench> bench;
  probe::DapProbe probe;
  debug::SwdWires wires;
  debug::DebugPort port;
  debug::MemAp bus;
};

}  // namespace

class SwdLinesTest : public QObject {
  Q_OBJECT
 private slots:
  void eachOfSeveralPortsIsReached() {
    Pair p;
    QCOMPARE(p.identityOf(0x01002927), 0xC6000001u);
    QCOMPARE(p.identityOf(0x11002927), 0xC6000002u);
    QCOMPARE(p.identityOf(0x01002927), 0xC6000001u);
    QVERIFY2(p.bench->violations().empty(), p.bench->violations().c_str());
  }

  void oneThatIsNotThereIsSilence() {
    Pair p;
    const std::string text = errorOf([&] { p.identityOf(0x21002927); });
    QVERIFY2(text.find("no debug port answers on SWD") != std::string::npos, text.c_str());
  }

  /// A power cycle in between: it is found again from its dormant state.
  void aPortThatLostItsPowerIsWokenAgain() {
    Pair p;
    QCOMPARE(p.identityOf(0x11002927), 0xC6000002u);
    p.bench->board().cyclePower();
    QCOMPARE(p.identityOf(0x11002927), 0xC6000002u);
  }

  void aSingleDormantPortNeedsNoTarget() {
    One one(R"(, "dormant": true, "identity": "0xC6000007")");
    QCOMPARE(one.bus.readWord(0x40000000), 0xC6000007u);
  }

  /// One probe, a chain and a core on SWD: it is switched as it is needed.
  void aProbeIsSwitchedBetweenAChainAndSwd() {
    auto bench = sim::parseBench(R"({"imprimo_bench": 1, "core": {"name": "one"}, "chain": [
 {"name": "seq", "ir_length": 8, "idcode": "0x0C64AFFD", "instructions": [{"opcode": "00000110", "register": "idcode"}]}]})",
                                 "both.json");
    probe::DapProbe probe(std::make_unique<LoopTransport>(*bench), atClock(10'000'000));
    jtag::Chain chain(probe, {8});
    debug::SwdWires wires(*probe.swd());
    debug::DebugPort port(wires);
    const auto idcode = [&] {
      chain.select(1, BitVector::fromLsbFirst(6, 8));
      jtag::ScanBatch batch;
      batch.exchange(jtag::Register::Data, BitVector(32));
      return static_cast<std::uint32_t>(probe.run(batch).at(0).bits(0, 32));
    };
    for (int i = 0; i < 3; ++i) {
      QCOMPARE(idcode(), 0x0C64AFFDu);
      if (i == 0) {
        port.connect();
      }
      debug::MemAp bus(port, {0});
      bus.identify();
      QCOMPARE(bus.readWord(0x40000000), 0xC6000001u);
    }
  }

  void anEngineThatOnlyShiftsSpeaksSwdToo_data() {
    QTest::addColumn<bool>("buffer");
    QTest::addColumn<QString>("port");
    for (const bool buffer : {false, true}) {
      for (const char* port : {"", ", \"wait_every\": 5", ", \"access_us\": 2"})
        QTest::addRow("%s%s", buffer ? "buffer" : "resistor", port) << buffer << QString(port);
    }
  }

  /// Data phases come whatever the port answers; what was refused is found afterwards.
  void anEngineThatOnlyShiftsSpeaksSwdToo() {
    QFETCH(const bool, buffer);
    QFETCH(const QString, port);
    auto bench = sim::parseBench(
        fmt::format(R"({{"imprimo_bench": 1, "mpsse": {{"swd": true{}}}, "core": {{"name": "one"{}}}}})",
                    buffer ? R"(, "swd_enable": "C3", "swd_enable_level": 1)" : "", port.toStdString()),
        "one.json");
    probe::AdapterCard card = probe::genericAdapter();
    card.swd.emplace();
    if (buffer) card.swd->enable = probe::AdapterCard::Pin{11, true};
    probe::ProbeOptions options = atClock(10'000'000);
    options.wires = probe::Wires::Swd;
    probe::MpsseProbe probe(std::make_unique<LoopStream>(*bench), card, options);
    debug::SwdWires wires(probe::swdOf(probe));
    debug::DebugPort debugPort(wires);
    debugPort.connect();
    QCOMPARE(debugPort.dpidr(), 0x0C602FFBu);
    debug::MemAp bus(debugPort, {0});
    bus.identify();
    std::mt19937 random(8);
    for (const auto& [at, length] : {std::pair{0x3F7u, 0xC01u}, {0u, 4u}, {3u, 1u}, {0x7FEu, 5u}}) {
      const Bytes bytes = randomBytes(random, length);
      bus.write(0x20000000 + at, bytes);
      Bytes back(length);
      bus.read(0x20000000 + at, back);
      QCOMPARE(back, bytes);
    }
    const std::string text = errorOf([&] { bus.readWord(0x50000000); });
    QVERIFY2(text.find("0x50000000") != std::string::npos, text.c_str());
    QCOMPARE(bus.readWord(0x40000000), 0xC6000001u);
    QVERIFY2(bench->violations().empty(), bench->violations().c_str());
  }

  void anAdapterWhoseCardSaysNothingOfSwdIsRefused() {
    auto bench = sim::parseBench(R"({"imprimo_bench": 1, "core": {"name": "one"}})", "one.json");
    const std::string text = errorOf(
        [&] { probe::MpsseProbe(std::make_unique<LoopStream>(*bench), probe::genericAdapter(), One::onSwd()); });
    QVERIFY2(text.find("how SWDIO is wired") != std::string::npos, text.c_str());
  }

  void aRomTableIsWalked() {
    One one;
    const auto parts = debug::walkRomTable(*one.bus.base(), [&](std::uint32_t at) -> std::optional<std::uint32_t> {
      try {
        return one.bus.readWord(at);
      } catch (const debug::BusFault&) {
        return std::nullopt;
      }
    });
    QCOMPARE(parts.size(), std::size_t{4});
    QCOMPARE(parts[0].words(), std::string("ROM table"));
    QCOMPARE(parts[0].bank, 16u);
    QCOMPARE(parts[1].at, 0xE000E000u);
    QCOMPARE(parts[1].words(), std::string("system control space"));
    QCOMPARE(parts[1].part, 0x008u);
    QCOMPARE(parts[1].maker, 0x3Bu);
  }

  /// Tables that lead to each other, to themselves, and everywhere.
  void tablesThatNeverEndAreLeft() {
    const auto table = [](std::uint32_t at) -> std::optional<std::uint32_t> {
      switch (at & 0xFFF) {
        case 0xFF0:
          return 0x0D;
        case 0xFF4:
          return 0x10;
        case 0xFF8:
          return 0x05;
        case 0xFFC:
          return 0xB1;
        case 0xFD0:
        case 0xFE0:
        case 0xFE4:
        case 0xFE8:
        case 0xFEC:
          return 0;
        default:
          return 0x00001003 + (at & 0xFFC) * 0x400;
      }
    };
    QCOMPARE(debug::walkRomTable(0xE00FF000, table).size(), std::size_t{256});
    QVERIFY(debug::walkRomTable(0, [](std::uint32_t) { return std::optional<std::uint32_t>(); }).empty());
  }
};
IMPRIMO_TEST(SwdLinesTest);
#include "tst_swd_lines.moc"
