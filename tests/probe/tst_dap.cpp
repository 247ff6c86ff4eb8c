// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTcpSocket>
#include <deque>

#include "core/probe/dap/dap_probe.h"
#include "core/probe/open_probe.h"
#include "core/probe/probe_address.h"
#include "core/probe/tcp_transport.h"
#include "core/probe/token.h"
#include "sim/bench_server.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

namespace {

/// A random batch with captures and waits anywhere; some scans follow one another without Run-Test/Idle, or in pieces.
jtag::ScanBatch randomBatch(std::mt19937& random) {
  jtag::ScanBatch batch;
  jtag::Scan before;
  for (std::size_t i = 0, count = 1 + below(random, 4); i < count; ++i) {
    jtag::Scan scan;
    scan.into = random() % 4 == 0 ? jtag::Register::Instruction : jtag::Register::Data;
    scan.from = before.until;
    if (scan.from == jtag::Rest::Shift) scan.into = before.into;
    if (i + 1 < count) scan.until = static_cast<jtag::Rest>(below(random, 3));
    before = {.into = scan.into, .out = {}, .captures = {}, .waits = {}, .until = scan.until};
    const std::size_t bits = 1 + below(random, 3000);
    for (std::size_t b = 0; b < bits; ++b) scan.out.append(random() % 2 != 0);
    for (std::size_t at = 0; at < bits;) {
      at += below(random, 400);
      const std::size_t end = std::min(bits, at + 1 + below(random, 500));
      if (at < end) scan.captures.push_back({at, end});
      at = end + 1;
    }
    for (std::size_t at = below(random, 900); at < bits; at += 1 + below(random, 900)) {
      scan.waits.push_back({at, std::chrono::microseconds(below(random, 100'000))});
    }
    batch.add(std::move(scan));
    if (before.until == jtag::Rest::Idle && random() % 3 == 0)
      batch.idle(static_cast<std::uint32_t>(below(random, 200)));
  }
  return batch;
}

/// What a packet does, bit by bit: "1/0?" is TMS 1, TDI 0, captured; waits as "w12".
std::string unrolled(const DapPacket& packet) {
  std::string text;
  ByteSpan rest = packet.request;
  int commands = 1;
  if (rest[0] == 0x7F) {
    commands = rest[1];
    rest = rest.subspan(2);
  }
  for (int c = 0; c < commands; ++c) {
    if (rest[0] == 0x09) {
      text += "w" + std::to_string(rest[1] | rest[2] << 8) + " ";
      rest = rest.subspan(3);
      continue;
    }
    const int sequences = rest[1];
    rest = rest.subspan(2);
    for (int s = 0; s < sequences; ++s) {
      const int count = (rest[0] & 63) == 0 ? 64 : rest[0] & 63;
      for (int i = 0; i < count; ++i) {
        text += (rest[0] & 0x40) != 0 ? "1/" : "0/";
        text += (rest[1 + i / 8] >> (i % 8) & 1) != 0 ? "1" : "0";
        text += (rest[0] & 0x80) != 0 ? "? " : " ";
      }
      rest = rest.subspan(1 + (count + 7) / 8);
    }
  }
  return rest.empty() ? text : "trailing bytes";
}

std::string unrolled(const jtag::ScanBatch& batch, std::size_t packetSize, std::size_t* packets = nullptr) {
  std::string text;
  DapPacker packer(packetSize, [&](DapPacket&& packet) {
    if (packet.request.size() > packetSize) text += "too long ";
    text += unrolled(packet);
    if (packets != nullptr) ++*packets;
  });
  packer.add(batch);
  packer.flush();
  return text;
}

/// The same, straight from the batch.
std::string expected(const jtag::ScanBatch& batch) {
  std::string text;
  const auto waits = [&](std::chrono::microseconds time) {
    for (auto left = time.count(); left > 0; left -= 0xFFFF)
      text += "w" + std::to_string(std::min<long>(left, 0xFFFF)) + " ";
  };
  for (const auto& item : batch.items()) {
    if (const auto* idle = std::get_if<jtag::Idle>(&item)) {
      for (std::uint32_t i = 0; i < idle->clocks; ++i) text += "0/0 ";
    }
    const auto* scan = std::get_if<jtag::Scan>(&item);
    if (scan == nullptr) continue;
    if (scan->from != jtag::Rest::Shift)
      text += scan->into == jtag::Register::Instruction ? "1/0 1/0 0/0 0/0 " : "1/0 0/0 0/0 ";
    for (std::size_t i = 0; i < scan->out.size(); ++i) {
      for (const auto& wait : scan->waits) {
        if (wait.at == i) waits(wait.time);
      }
      bool wanted = false;
      for (const auto& range : scan->captures) wanted = wanted || (range.begin <= i && i < range.end);
      text += i + 1 == scan->out.size() && scan->until != jtag::Rest::Shift ? "1/" : "0/";
      text += scan->out[i] ? "1" : "0";
      text += wanted ? "? " : " ";
    }
    if (scan->until == jtag::Rest::Idle) text += "1/0 0/0 ";
    if (scan->until == jtag::Rest::Update) text += "1/0 ";
  }
  return text;
}

/// Answers from a list.
class ScriptedTransport : public Transport {
 public:
  explicit ScriptedTransport(std::deque<Bytes> answers, std::vector<Bytes>* requests = nullptr)
      : answers_(std::move(answers)), requests_(requests) {}
  void send(ByteSpan request) override {
    if (requests_ != nullptr) requests_->emplace_back(request.begin(), request.end());
  }
  Bytes receive(std::chrono::milliseconds) override {
    if (answers_.empty()) throw Error(ErrorKind::LinkLost, "closed");
    Bytes answer = answers_.front();
    answers_.pop_front();
    return answer;
  }
  std::string name() const override { return "script"; }

 private:
  std::deque<Bytes> answers_;
  std::vector<Bytes>* requests_;
};

}  // namespace

class DapPackerTest : public QObject {
  Q_OBJECT
 private slots:
  void packetsOfAnySizeDoWhatTheBatchSays() {
    std::mt19937 random(31);
    for (int round = 0; round < 15; ++round) {
      const jtag::ScanBatch batch = randomBatch(random);
      const std::string want = expected(batch);
      for (const std::size_t size : {64u, 65u, 100u, 512u, 1024u, 4096u}) COMPARE_TEXT(unrolled(batch, size), want);
    }
  }

  void packetsAreFull() {
    jtag::ScanBatch batch;
    batch.exchange(jtag::Register::Data, BitVector(512 * 1024 * 8));
    std::size_t packets = 0;
    unrolled(batch, 512, &packets);
    // 56 sequences of 64 bits in each: 448 bytes of 512
    QVERIFY2(packets <= 512 * 1024 / 448 + 2, qPrintable(QString::number(packets)));
    packets = 0;
    unrolled(batch, 4096, &packets);
    QVERIFY2(packets <= 512 * 1024 / 3600 + 2, qPrintable(QString::number(packets)));
  }

  void aResetIsFiveOnesAndAZero() { COMPARE_TEXT(unrolled(jtag::ScanBatch().reset(), 64), "1/0 1/0 1/0 1/0 1/0 0/0 "); }
};
IMPRIMO_TEST(DapPackerTest);

class DapProbeTest : public QObject {
  Q_OBJECT
  static std::deque<Bytes> greeting() {
    return {{0x00, 1, 2}, {0x00, 2, 64, 0}, {0x00, 1, 2}, {0x00, 0}, {0x00, 0}, {0x00, 0},
            {0x00, 0},    {0x02, 2},        {0x11, 0},    {0x01, 0}, {0x14, 0}};
  }
  static std::string error(std::size_t index, const Bytes& answer) {
    auto script = greeting();
    script[index] = answer;
    return errorOf([&] { DapProbe probe(std::make_unique<ScriptedTransport>(script), {}); });
  }

 private slots:
  void answersAreTheSameWithAnyPacketSizeAndCount() {
    std::mt19937 random(32);
    for (int round = 0; round < 6; ++round) {
      const jtag::ScanBatch batch = randomBatch(random);
      std::optional<jtag::ScanAnswers> first;
      for (const auto& [size, count] : {std::pair{64, 1}, {64, 16}, {100, 3}, {512, 4}, {1024, 2}, {4096, 16}}) {
        WorldOptions options;
        options.packetSize = static_cast<std::size_t>(size);
        options.packetCount = static_cast<std::size_t>(count);
        World world(options);
        world.bench().examine();
        const jtag::ScanAnswers answers = world.bench().chain().port().run(batch);
        if (!first) first = answers;
        QVERIFY(answers == *first);
      }
    }
  }

  void aProbeThatCannotDoJtagOrDoesNotSwitchIsRefused() {
    VERIFY_CONTAINS(error(2, {0x00, 1, 1}), "cannot do JTAG");
    VERIFY_CONTAINS(error(7, {0x02, 0}), "does not switch to JTAG");
    VERIFY_CONTAINS(error(8, {0x11, 0xFF}), "would not set its clock");
    VERIFY_CONTAINS(error(1, {0x55}), "does not match the command");
  }

  void refusedAndShortAnswersAreErrors() {
    auto script = greeting();
    script.push_back({0xFF});
    DapProbe refusing(std::make_unique<ScriptedTransport>(script), {});
    jtag::ScanBatch batch;
    batch.exchange(jtag::Register::Data, BitVector(100));
    COMPARE_TEXT(errorOf([&] { refusing.run(batch); }), "the probe refused command 0x14 (answer 0xFF)");
    COMPARE_TEXT(errorOf([&] { refusing.run(batch); }), "the probe at script is no longer connected");

    script = greeting();
    script.push_back({0x14, 0x00, 1, 2, 3});
    DapProbe shortened(std::make_unique<ScriptedTransport>(script), {});
    COMPARE_TEXT(errorOf([&] { shortened.run(batch); }), "the probe's answer to command 0x14 ends after 5 bytes");
  }

  void aTokenIsProven() {
    Bytes nonce{0x80};
    for (int i = 0; i < 32; ++i) nonce.push_back(static_cast<std::uint8_t>(i));
    std::deque<Bytes> script{{0xFF}, nonce, {0x81, 0x00}};
    for (const Bytes& b : greeting()) script.push_back(b);
    std::vector<Bytes> requests;
    ProbeOptions options;
    options.token = "river";
    { DapProbe probe(std::make_unique<ScriptedTransport>(script, &requests), options); }
    QCOMPARE(requests[1], (Bytes{0x80}));
    Bytes proof{0x81};
    const Bytes digest = tokenProof("river", ByteSpan(nonce).subspan(1));
    proof.insert(proof.end(), digest.begin(), digest.end());
    QCOMPARE(requests[2], proof);
    QCOMPARE(requests[2].size(), 33u);

    options.token.reset();
    VERIFY_CONTAINS(errorOf([&] {
                      DapProbe(std::make_unique<ScriptedTransport>(std::deque<Bytes>{{0xFF}, nonce}), options);
                    }),
                    "wants a token");
    options.token = "wrong";
    VERIFY_CONTAINS(errorOf([&] {
                      DapProbe(std::make_unique<ScriptedTransport>(std::deque<Bytes>{{0xFF}, nonce}), options);
                    }),
                    "does not accept the token");
  }

  void theProofIsHmacSha512() {
    // RFC 4231, test case 2: key "Jefe", the first 32 of 64 bytes.
    const std::string data = "what do ya want for nothing?";
    const Bytes digest = tokenProof("Jefe", ByteSpan(reinterpret_cast<const std::uint8_t*>(data.data()), data.size()));
    QCOMPARE(QByteArray(reinterpret_cast<const char*>(digest.data()), 32).toHex(),
             QByteArray("164b7a7bfcf819e2e395fbe73b56e0a387bd64222e831fd610270cd7ea250554"));
  }
};
IMPRIMO_TEST(DapProbeTest);

class TcpTest : public QObject {
  Q_OBJECT
 private slots:
  void addressesAreReadAndWritten() {
    COMPARE_TEXT(parseProbeAddress("tcp:gauge:4711").text(), "tcp:gauge:4711");
    COMPARE_TEXT(parseProbeAddress("tcp:[::1]:4711").place.host, "::1");
    COMPARE_TEXT(parseProbeAddress("tcp:[::1]:4711").text(), "tcp:[::1]:4711");
    for (const char* bad :
         {"", "tcp:", "tcp:host", "tcp::4711", "tcp:h:0", "tcp:h:65536", "tcp:h:x", "tcp:::1:4711", "h:4711"}) {
      QCOMPARE(kindOf([&] { parseProbeAddress(bad); }), std::optional{ErrorKind::Usage});
    }
  }

  void worksOverTcpAndShowsASecondClientOut() {
    World world;
    sim::BenchServer server(world.sim(), {});
    auto probe = openProbe(server.address(), {});
    COMPARE_TEXT(probe->info().product, "Simulated bench");
    QCOMPARE(probe->info().packetCount, 4u);
    QVERIFY(kindOf([&] { openProbe(server.address(), {}); }).has_value());
    jtag::ScanBatch batch;
    batch.reset().exchange(jtag::Register::Data, BitVector(96));
    QCOMPARE(tapOf(*probe).run(batch)[0].bits(64, 32), idcodeOf(1));
    probe.reset();
    // The place is free again at once, each time.
    for (int i = 0; i < 60; ++i) COMPARE_TEXT(errorOf([&] { openProbe(server.address(), {}); }), "no error");
  }

  void ipv6Works() {
    World world;
    sim::ServerOptions options;
    options.host = "::1";
    std::unique_ptr<sim::BenchServer> server;
    if (const auto failure = kindOf([&] { server = std::make_unique<sim::BenchServer>(world.sim(), options); }))
      return;  // no IPv6 here
    auto probe = openProbe("tcp:[::1]:" + std::to_string(server->port()), {});
    QCOMPARE(probe->info().packetSize, 512u);
  }

  void nobodyThereIsSaid() {
    VERIFY_CONTAINS(errorOf([] { openProbe("tcp:127.0.0.1:1", {}); }), "no probe answers at tcp:127.0.0.1:1");
    QCOMPARE(kindOf([] { openProbe("tcp:127.0.0.1:1", {}); }), std::optional{ErrorKind::NoProbe});
  }

  void framesThatAreEmptyOrTooLongCloseTheConnection() {
    for (const QByteArray& frame : {QByteArray("\0\0", 2), QByteArray("\x01\x02", 2) + QByteArray(513, 'x')}) {
      World world;
      sim::BenchServer server(world.sim(), {});
      QTcpSocket socket;
      socket.connectToHost("127.0.0.1", server.port());
      QVERIFY(socket.waitForConnected(3000));
      socket.write(frame);
      QVERIFY(socket.waitForDisconnected(3000));
    }
  }
};
IMPRIMO_TEST(TcpTest);
#include "tst_dap.moc"
