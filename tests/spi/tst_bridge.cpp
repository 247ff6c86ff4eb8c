// SPDX-License-Identifier: GPL-3.0-or-later
#include <QString>

#include "core/probe/dap/dap_probe.h"
#include "core/spi/bridge_port.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::spi;
using namespace imprimo::test;

namespace {

/// Bits as SVF writes them: hexadecimal, the first bit on the wire rightmost.
std::string svfHex(BitVector bits, std::size_t length) {
  bits.appendFill(false, length - bits.size());
  std::string text;
  for (std::size_t at = 0; at < length; at += 4) {
    text.insert(text.begin(), "0123456789ABCDEF"[bits.bits(at, std::min<std::size_t>(4, length - at))]);
  }
  return text;
}

/// A port to the bridge of a world.
struct Bridge {
  explicit Bridge(WorldOptions options = {})
      : world(options), probe(std::make_unique<LoopTransport>(world.sim()), settings()) {
    std::vector<std::uint32_t> lengths;
    for (const DeviceSpec& device : options.chain) lengths.push_back(device.irLength);
    chain = std::make_unique<jtag::Chain>(probe, lengths);
    probe.run(jtag::ScanBatch().reset());
    port = std::make_unique<BridgePort>(*chain, options.fpga,
                                        BitVector::fromLsbFirst(2, options.chain[options.fpga - 1].irLength), "fpga");
  }
  static probe::ProbeOptions settings() {
    probe::ProbeOptions options;
    options.clockHz = 10'000'000;
    return options;
  }
  World world;
  probe::DapProbe probe;
  std::unique_ptr<jtag::Chain> chain;
  std::unique_ptr<BridgePort> port;
};

constexpr Guard kReady{0x05, 0x01, 0x00, 1};

}  // namespace

/// The worked frames of the bridge's page, a = b = 1.
class BridgeFramesTest : public QObject {
  Q_OBJECT
 private slots:
  void hello() {
    BitVector stream;
    bridge::appendHello(stream);
    COMPARE_TEXT(stream.wireText(), "1110010110000000000100000000000011000011" + std::string(64, '0'));
    COMPARE_TEXT(svfHex(stream, 107), "00000000000000000C3000801A7");
  }
  void writeEnable() {
    BitVector stream;
    bridge::appendExchange(stream, Bytes{0x06}, 0);
    COMPARE_TEXT(stream.wireText(), "111001010100000010000000000000001100001100000110");
    COMPARE_TEXT(svfHex(stream, 49), "060C3000102A7");
  }
  void readStatus() {
    BitVector stream;
    bridge::appendExchange(stream, Bytes{0x05}, 1);
    COMPARE_TEXT(stream.wireText(), "11100101010000000100000000000000001111110000010100000000");
    COMPARE_TEXT(svfHex(stream, 59), "000A0FC000202A7");
  }
  void helloAnswers() {
    QVERIFY(bridge::readHello(Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 0, 0})->clean());
    QVERIFY(bridge::readHello(Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 1, 0})->headerRefused);
    QVERIFY(bridge::readHello(Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 2, 0})->framesDropped);
    QVERIFY(!bridge::readHello(Bytes{0x49, 0x4D, 0x50, 0x52, 2, 0, 0, 0}));
    QVERIFY(!bridge::readHello(Bytes{0x49, 0x4D, 0x50, 0x53, 1, 0, 0, 0}));
    QVERIFY(!bridge::readHello(Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 4, 0}));
    QVERIFY(!bridge::readHello(Bytes(7, 0)));
  }
};
IMPRIMO_TEST(BridgeFramesTest);

class BridgePortTest : public QObject {
  Q_OBJECT
 private slots:
  void answersFromAnywhereInAnyChain() {
    std::mt19937 random(41);
    for (int round = 0; round < 40; ++round) {
      WorldOptions options;
      options.chain.clear();
      const std::size_t devices = 1 + below(random, 20);
      for (std::size_t i = 0; i < devices; ++i)
        options.chain.push_back({static_cast<unsigned>(2 + below(random, 15)), random() % 2 != 0});
      options.fpga = 1 + below(random, devices);
      options.packetSize = 64 + below(random, 4033);
      options.packetCount = 1 + below(random, 16);
      Bridge bridge(options);
      const Bytes data = randomBytes(random, 300);
      bridge.world.fill(0x1234, data);
      SpiBatch batch;
      const auto id = batch.exchange({0x9F}, 3);
      const auto guard = batch.guard(kReady);
      batch.wait({std::chrono::microseconds(below(random, 50)), random() % 2 != 0});
      const auto read = batch.exchange({0x03, 0x00, 0x12, 0x34}, 300);
      const SpiAnswers answers = bridge.port->run(batch);
      QCOMPARE(answers.answers[id], (Bytes{0x7E, 0x40, 0x14}));
      QCOMPARE(answers.answers[guard], (Bytes{0x00}));
      QCOMPARE(answers.answers[read], data);
      QVERIFY(!answers.heldAt);
      COMPARE_TEXT(bridge.world.sim().violations(), "");
    }
  }

  void aGuardThatIsNotMetKeepsAllBehindItAway() {
    Bridge bridge;
    SpiBatch batch;
    batch.exchange({0x06});
    batch.exchange({0x02, 0x00, 0x00, 0x00, 0x11});
    const auto guard = batch.guard(kReady);
    batch.exchange({0x06});
    batch.exchange({0x02, 0x00, 0x00, 0x01, 0x22});
    const auto late = batch.exchange({0x9F}, 3);
    const SpiAnswers answers = bridge.port->run(batch);
    QCOMPARE(answers.heldAt, std::optional<std::size_t>{guard});
    QCOMPARE(answers.answers[guard], (Bytes{0x03}));
    QVERIFY(answers.answers[late].empty());
    COMPARE_TEXT(bridge.world.flash().journal(), "program 1 0x000000\n");
    // The next run begins as if nothing had been.
    SpiBatch again;
    again.expect({0x05, 0x01, 0, std::chrono::microseconds(100), std::chrono::milliseconds(10)});
    const auto id = again.exchange({0x9F}, 3);
    QCOMPARE(bridge.port->run(again).answers[id], (Bytes{0x7E, 0x40, 0x14}));
    COMPARE_TEXT(bridge.world.sim().violations(), "");
  }

  void expectWaitsUntilTheStatusIsThere() {
    Bridge bridge;
    SpiBatch batch;
    batch.exchange({0x06});
    batch.exchange({0x20, 0x00, 0x10, 0x00});
    const auto ready = batch.expect({0x05, 0x01, 0, std::chrono::milliseconds(1), std::chrono::seconds(1)});
    const auto id = batch.exchange({0x9F}, 3);
    const SpiAnswers answers = bridge.port->run(batch);
    QVERIFY(!answers.timedOutAt);
    QCOMPARE(answers.answers[ready], (Bytes{0x00}));
    QCOMPARE(answers.answers[id], (Bytes{0x7E, 0x40, 0x14}));
    QVERIFY(sim::toSeconds(bridge.world.sim().board().now()) >= 0.045);
  }

  void expectGivesUpAtItsLimit() {
    WorldOptions options;
    options.flash = R"("size": "1M", "faults": [{"kind": "never-ready"}])";
    Bridge bridge(options);
    SpiBatch batch;
    batch.exchange({0x06});
    batch.exchange({0x20, 0x00, 0x10, 0x00});
    const auto ready = batch.expect({0x05, 0x01, 0, std::chrono::milliseconds(10), std::chrono::milliseconds(100)});
    batch.exchange({0x06});
    const SpiAnswers answers = bridge.port->run(batch);
    QCOMPARE(answers.timedOutAt, std::optional<std::size_t>{ready});
    COMPARE_TEXT(bridge.world.sim().violations(), "");  // nothing was sent to the busy part
  }

  void noBridgeIsToldWithWhatWasRead() {
    WorldOptions options;
    options.fpga = 3;
    Bridge bridge(options);
    BridgePort wrong(*bridge.chain, 1, BitVector::fromLsbFirst(2, 8), "sequencer");
    COMPARE_TEXT(errorOf([&] { wrong.hello(); }),
                 "no bridge answers in sequencer (part 1): read 00 00 00 00 00 00 00 00 where 49 4D 50 52 01 00 00 00 "
                 "should be");
    QVERIFY(bridge.world.flash().commands().empty());
  }

  void marksThatSomebodyLeftAreCleared() {
    Bridge bridge;
    // A header with a wrong CRC makes the core deaf, and hello tells of it in the next Shift-DR.
    bridge.chain->select(2, BitVector::fromLsbFirst(2, 6));
    BitVector bad;
    bad.appendLsbFirst(Bytes{0xA7, 0x02, 0x01, 0x00, 0x00, 0x06, 0x00});
    bridge.probe.run(jtag::ScanBatch().send(jtag::Register::Data, bad));
    bridge.port->hello();
    SpiBatch batch;
    const auto id = batch.exchange({0x9F}, 3);
    QCOMPARE(bridge.port->run(batch).answers[id], (Bytes{0x7E, 0x40, 0x14}));
  }
};
IMPRIMO_TEST(BridgePortTest);
#include "tst_bridge.moc"
