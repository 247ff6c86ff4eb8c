// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTcpSocket>
#include <thread>

#include "core/jtag/examine.h"
#include "core/probe/dap/dap_probe.h"
#include "core/probe/dap/dap_responder.h"
#include "core/probe/mpsse/mpsse_probe.h"
#include "core/probe/open_probe.h"
#include "core/probe/share_server.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

namespace {

/// A shared bench on a thread of its own.
struct Shared {
  explicit Shared(std::optional<std::string> token = {}, bool mpsse = false) {
    if (mpsse) {
      shared = shareProbe(
          std::make_unique<MpsseProbe>(std::make_unique<LoopStream>(world.sim()), genericAdapter(), ProbeOptions{}));
    } else {
      shared = shareTransport(std::make_unique<LoopTransport>(world.sim()));
    }
    server = std::make_unique<ShareServer>(*shared, ShareOptions{{"127.0.0.1", 0}, std::move(token)});
    thread = std::jthread([this](const std::stop_token& stop) {
      try {
        server->serve(stop, [this](const std::string& text) { news += text + "\n"; });
      } catch (const Error& e) {
        failure = e.what();
      }
    });
  }
  std::string address() const { return "tcp:" + server->listening().text(); }

  World world;
  std::unique_ptr<SharedProbe> shared;
  std::unique_ptr<ShareServer> server;
  std::string news, failure;
  std::jthread thread;
};

QByteArray frame(const Bytes& packet) {
  QByteArray bytes;
  bytes.append(static_cast<char>(packet.size())).append(static_cast<char>(packet.size() >> 8));
  bytes.append(reinterpret_cast<const char*>(packet.data()), static_cast<qsizetype>(packet.size()));
  return bytes;
}

Bytes answerTo(QTcpSocket& socket, const Bytes& packet) {
  socket.write(frame(packet));
  QByteArray got;
  while (got.size() < 2 ||
         got.size() < 2 + (static_cast<unsigned char>(got[0]) | static_cast<unsigned char>(got[1]) << 8)) {
    if (!socket.waitForReadyRead(5000)) return {};
    got += socket.readAll();
  }
  return Bytes(got.begin() + 2, got.end());
}

}  // namespace

class ShareTest : public QObject {
  Q_OBJECT
 private slots:
  /// Commands of a maker's own are answered 0xFF wherever they stand, and never reach the probe.
  void commandsOfMakersNeverPass() {
    struct Noting : Transport {
      void send(ByteSpan packet) override {
        got.emplace_back(packet.begin(), packet.end());
        Bytes answer{packet[0], 0x00};
        if (packet[0] == 0x00) answer = packet[1] == 0xFF ? Bytes{0, 2, 0, 2} : Bytes{0, 1, 4};
        if (packet[0] == 0x7E) {
          held.push_back(answer);
          return;
        }
        for (Bytes& h : held) answers.push_back(std::move(h));
        held.clear();
        answers.push_back(answer);
      }
      Bytes receive(std::chrono::milliseconds) override {
        Bytes first = answers.front();
        answers.erase(answers.begin());
        return first;
      }
      std::string name() const override { return "noting"; }
      std::vector<Bytes> got, held, answers;
    };
    auto transport = std::make_unique<Noting>();
    Noting& probe = *transport;
    const auto shared = shareTransport(std::move(transport));
    using Packets = std::vector<Bytes>;
    const Bytes info{0x00, 0xFE};
    QCOMPARE(shared->process({{0x88, 1}}), (Packets{{0xFF}}));
    QCOMPARE(shared->process({{0x7F, 1, 0x88, 1}}), (Packets{{0xFF}}));
    QCOMPARE(shared->process({{0x7F, 2, 0x00, 0xFE, 0x90}}), (Packets{{0xFF}}));
    QCOMPARE(shared->process({{0x7F, 2, 0x00, 0xFE, 0x03}}), (Packets{{0x7F, 0x00}}));
    QCOMPARE(shared->process({{0x7E, 1, 0x88}, info}), (Packets{{0xFF}, {0, 1, 4}}));
    QCOMPARE(shared->process({{0x7E, 1, 0x00, 0xFE}, {0x88, 1}}), (Packets{{0x7E, 0x00}, {0xFF}}));
    QCOMPARE(shared->process({{0x7E, 1, 0x03}, {0x7E, 1, 0x91}, info}), (Packets{{0x7E, 0x00}, {0xFF}, {0, 1, 4}}));
    QCOMPARE(shared->process({{0x14, 2, 0x08, 0xAA, 0x41, 0x01}}), (Packets{{0x14, 0x00}}));
    QCOMPARE(shared->process({{0x14, 2, 0x08, 0xAA, 0x41}}), (Packets{{0xFF}}));  // cut off
    for (const Bytes& packet : probe.got) {
      for (std::size_t i = 0; i < packet.size(); ++i) {
        const bool word = packet[0] == 0x14 || (i > 0 && packet[i - 1] == 0x00);
        QVERIFY2(
            word || packet[i] < 0x80 || packet[i] > 0x9F,
            QByteArray(reinterpret_cast<const char*>(packet.data()), static_cast<qsizetype>(packet.size())).toHex());
      }
    }
  }

  void aSharedProbeWorksLikeItself() {
    for (const bool mpsse : {false, true}) {
      Shared s({}, mpsse);
      for (int again = 0; again < 2; ++again) {
        const auto probe = openProbe(s.address(), {});
        QCOMPARE(jtag::examine(tapOf(*probe), {}).devices.size(), 3u);
        jtag::Chain chain(tapOf(*probe), {8, 6, 4});
        QCOMPARE(jtag::checkPattern(chain, 40).whole, 40);
      }
      COMPARE_TEXT(s.world.sim().violations(), "");
    }
  }

  void devicesAreCountedFromTdoAndCapabilitiesAreWhatIsOffered() {
    const auto bench = sim::parseBench(R"({"imprimo_bench": 1, "chain": [
      {"name": "nearTdi", "ir_length": 8, "idcode": "0x10001FFD", "instructions": [{"opcode": "00001110", "register": "idcode"}]},
      {"name": "middle", "ir_length": 6, "idcode": "0x20002FFD", "instructions": [{"opcode": "001110", "register": "idcode"}]},
      {"name": "nearTdo", "ir_length": 4, "idcode": "0x30003FFD", "instructions": [{"opcode": "1110", "register": "idcode"}]}]})",
                                       "b");
    MpsseProbe probe(std::make_unique<LoopStream>(*bench), genericAdapter(), {});
    DapResponder responder(probe);
    const auto answered = [&](const Bytes& packet) { return responder.process(packet).at(0); };
    QCOMPARE(answered({0x00, 0xF0}), (Bytes{0x00, 1, 0x12}));  // JTAG, and several commands in one packet
    QCOMPARE(answered({0x15, 3, 4, 6, 8}), (Bytes{0x15, 0}));
    QCOMPARE(answered({0x16, 0}), (Bytes{0x16, 0, 0xFD, 0x3F, 0x00, 0x30}));
    QCOMPARE(answered({0x16, 1}), (Bytes{0x16, 0, 0xFD, 0x2F, 0x00, 0x20}));
    QCOMPARE(answered({0x16, 2}), (Bytes{0x16, 0, 0xFD, 0x1F, 0x00, 0x10}));
    QCOMPARE(answered({0x16, 3})[1], std::uint8_t{0xFF});
    // Cut off in the middle.
    QCOMPARE(answered({0x15, 3, 4, 6}), (Bytes{0x15, 0xFF}));
    QCOMPARE(answered({0x12, 9, 0}), (Bytes{0x12, 0xFF}));
    QCOMPARE(answered({0x14, 1, 9, 0}), (Bytes{0x14, 0xFF}));
    COMPARE_TEXT(bench->violations(), "");
  }

  void aSecondClientIsSentAway() {
    Shared s;
    const auto first = openProbe(s.address(), {});
    QVERIFY(kindOf([&] { openProbe(s.address(), {}); }).has_value());
    QCOMPARE(jtag::examine(tapOf(*first), {}).devices.size(), 3u);
  }

  void theTokenDecides() {
    Shared s("river bed 7");
    ProbeOptions options;
    VERIFY_CONTAINS(errorOf([&] { openProbe(s.address(), options); }), "wants a token");
    options.token = "river bed 8";
    VERIFY_CONTAINS(errorOf([&] { openProbe(s.address(), options); }), "does not accept the token");
    options.token = "river bed 7";
    QCOMPARE(jtag::examine(tapOf(*openProbe(s.address(), options)), {}).devices.size(), 3u);
    QVERIFY(s.news.find("river bed") == std::string::npos);
  }

  void beforeTheTokenNothingIsAnswered() {
    Shared s("river bed 7");
    QTcpSocket socket;
    socket.connectToHost("127.0.0.1", s.server->listening().port);
    QVERIFY(socket.waitForConnected(5000));
    const std::uint64_t packets = s.world.sim().packets();
    for (const std::uint8_t command : {0x00, 0x02, 0x14, 0x7F, 0x81})
      QCOMPARE(answerTo(socket, {command, 1, 0}), Bytes{0xFF});
    const Bytes first = answerTo(socket, {0x80}), second = answerTo(socket, {0x80});
    QCOMPARE(first.size(), 33u);
    QVERIFY(first != second);  // a nonce serves once
    QCOMPARE(s.world.sim().packets(), packets);
    // A packet larger than 64 bytes closes the connection.
    socket.write(frame(Bytes(65, 0)));
    QVERIFY(socket.waitForDisconnected(5000) || socket.state() == QAbstractSocket::UnconnectedState);
  }

  void framesThatLieCloseTheConnection() {
    for (const auto& bytes : {QByteArray("\0\0", 2), QByteArray("\xFF\xFF", 2)}) {
      Shared s;
      QTcpSocket socket;
      socket.connectToHost("127.0.0.1", s.server->listening().port);
      QVERIFY(socket.waitForConnected(5000));
      socket.write(bytes);
      QVERIFY(socket.waitForDisconnected(5000) || socket.state() == QAbstractSocket::UnconnectedState);
      QCOMPARE(jtag::examine(tapOf(*openProbe(s.address(), {})), {}).devices.size(), 3u);
    }
  }

  void unknownCommandsAreRefusedHere() {
    Shared s;
    QTcpSocket socket;
    socket.connectToHost("127.0.0.1", s.server->listening().port);
    QVERIFY(socket.waitForConnected(5000));
    QCOMPARE(answerTo(socket, {0x88, 1}), Bytes{0xFF});
    // Queued packets are answered with the next one that is not.
    socket.write(frame({0x7E, 1, 0x00, 0xFE}));
    const Bytes both = answerTo(socket, {0x00, 0xFE});
    QCOMPARE(both[0], std::uint8_t{0x7F});
  }

  void onlyLoopbackGoesWithoutAToken() {
    World world;
    auto shared = shareTransport(std::make_unique<LoopTransport>(world.sim()));
    QCOMPARE(kindOf([&] { ShareServer(*shared, {{"0.0.0.0", 0}, {}}); }), std::optional{ErrorKind::Usage});
    VERIFY_CONTAINS(errorOf([&] { ShareServer(*shared, {{"0.0.0.0", 0}, {}}); }), "so a token is needed there");
    QCOMPARE(kindOf([&] { ShareServer(*shared, {{"127.0.0.1", 0}, std::string()}); }), std::optional{ErrorKind::Usage});
    ShareServer(*shared, {{"::1", 0}, {}});
  }

  void aProbeThatIsUnpluggedEndsIt() {
    Shared s;
    const auto probe = openProbe(s.address(), {});
    s.world.sim().dropLinkAtPacket(0);
    QCOMPARE(kindOf([&] { jtag::examine(tapOf(*probe), {}); }), std::optional{ErrorKind::LinkLost});
    s.thread.join();
    VERIFY_CONTAINS(s.failure, "lost the probe at loop");
  }
};
IMPRIMO_TEST(ShareTest);
#include "tst_share.moc"
