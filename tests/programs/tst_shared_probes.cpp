// SPDX-License-Identifier: GPL-3.0-or-later
//
// Clients that take the only place and say nothing, servers that answer badly, and probes that go away.
#include <signal.h>

#include <QElapsedTimer>
#include <QTcpServer>
#include <QTcpSocket>

#include "core/base/socket.h"
#include "sim/bench_server.h"
#include "tests/support/program.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// imprimo-bench with a quick flash, or imprimoctl share of one's MPSSE adapter, as a process.
class Server {
 public:
  explicit Server(bool shared, const QString& token = {}) : world_({.flash = quickFlash("64K")}) {
    QStringList words{world_.path("bench.json")};
    if (shared) words << "--mpsse";
    bench_ = std::make_unique<Program>("imprimo-bench", words);
    bench_->start();
    QString address = bench_->line("listening ").mid(10);
    if (shared) {
      QStringList sharing{"--probe", "mpsse-tcp:" + address, "share"};
      if (!token.isEmpty()) {
        QFile file(world_.path("token"));
        if (file.open(QIODevice::WriteOnly)) file.write(token.toUtf8());
        sharing << "--token-file" << file.fileName();
      }
      share_ = std::make_unique<Program>("imprimoctl", sharing);
      share_->start();
      address = share_->line("sharing ").section("at tcp:", 1).section(',', 0, 0).trimmed();
    }
    port_ = address.section(':', -1).toUShort();
  }
  quint16 port() const { return port_; }
  QString address() const { return QString("tcp:127.0.0.1:%1").arg(port_); }
  Program& bench() { return *bench_; }
  Program& share() { return *share_; }

 private:
  World world_;
  std::unique_ptr<Program> bench_, share_;
  quint16 port_ = 0;
};

std::unique_ptr<QTcpSocket> clientOf(quint16 port) {
  auto socket = std::make_unique<QTcpSocket>();
  socket->connectToHost(QHostAddress::LocalHost, port);
  socket->waitForConnected(5000);
  return socket;
}

QByteArray frame(const QByteArray& bytes) {
  return QByteArray(1, static_cast<char>(bytes.size())) + '\0' + bytes;
}

}  // namespace

class SharedProbesTest : public QObject {
  Q_OBJECT
 private slots:
  void whoSaysNothingWholeIsPutOut_data() {
    QTest::addColumn<bool>("shared");
    QTest::addColumn<QByteArray>("said");
    for (const bool shared : {false, true}) {
      QTest::addRow("nothing, %s", shared ? "shared" : "bench") << shared << QByteArray();
      QTest::addRow("half a length, %s", shared ? "shared" : "bench") << shared << QByteArray("\x02");
      QTest::addRow("half a frame, %s", shared ? "shared" : "bench") << shared << QByteArray("\x02\x00\x00", 3);
      QTest::addRow("half a second frame, %s", shared ? "shared" : "bench")
          << shared << frame(QByteArray("\x00\xff", 2)) + QByteArray("\x02\x00\x00", 3);
    }
  }
  void whoSaysNothingWholeIsPutOut() {
    QFETCH(bool, shared);
    QFETCH(QByteArray, said);
    Server server(shared);
    QVERIFY(server.port() != 0);
    const auto silent = clientOf(server.port());
    silent->write(said);
    silent->flush();
    QTest::qWait(200);
    // Meanwhile the place is taken, and who comes second hears so.
    const Ended second = Program("imprimoctl", {"--probe", server.address(), "scan"}).run();
    ENDED(second, 3);
    QVERIFY2(second.err.contains("in use by another program; try again later") ||
                 second.err.contains("in use by another program. Try again later"),
             qPrintable(second.err));
    while (silent->state() == QAbstractSocket::ConnectedState && !silent->waitForDisconnected(8000)) break;
    QCOMPARE(silent->state(), QAbstractSocket::UnconnectedState);
    ENDED(Program("imprimoctl", {"--probe", server.address(), "scan"}).run(), 0);
  }

  void whoIsIdleBetweenFramesStays() {
    for (const bool shared : {false, true}) {
      Server server(shared);
      const auto idle = clientOf(server.port());
      for (int i = 0; i < 2; ++i) {
        idle->write(frame(QByteArray("\x00\xff", 2)));
        QVERIFY(idle->waitForReadyRead(2000));
        idle->readAll();
        QVERIFY(!idle->waitForDisconnected(6500));
        QCOMPARE(idle->state(), QAbstractSocket::ConnectedState);
      }
    }
  }

  void anHonestClientIsServedAfterTenThousandBadOnes() {
    for (const bool shared : {false, true}) {
      Server server(shared);
      for (int i = 0; i < 10000; ++i) {
        std::string reason;
        const Socket socket = imprimo::connectTo({"127.0.0.1", server.port()}, std::chrono::seconds(5), reason);
        const Bytes bad = i % 2 == 0 ? Bytes{0, 0} : Bytes{0xFF, 0xFF, 0x12};
        if (socket) sendAll(socket, bad);
      }
      QElapsedTimer timer;
      timer.start();
      const Ended served = Program("imprimoctl", {"--probe", server.address(), "scan"}).run();
      ENDED(served, 0);
      QVERIFY2(timer.elapsed() < 2500, qPrintable(QString::number(timer.elapsed())));
    }
  }

  void aProbeThatGoesAwayIsToldToTheClient() {
    Server server(true);
    const auto client = clientOf(server.port());
    client->write(frame(QByteArray("\x00\xff", 2)));
    QVERIFY(client->waitForReadyRead(2000));
    client->readAll();
    server.bench().signal(SIGKILL);
    QVERIFY(server.bench().process().waitForFinished(5000));
    // Connect, and clocks whose answers nobody gives any more.
    client->write(frame(QByteArray("\x02\x02", 2)) + frame(QByteArray("\x14\x01\x88\xff", 4)));
    QByteArray answer;
    while (client->waitForReadyRead(8000)) answer += client->readAll();
    QVERIFY2(answer.endsWith(QByteArray("\x01\x00\xff", 3)), answer.toHex().constData());
    const Ended ended = server.share().wait(10000);
    ENDED(ended, 3);
    QVERIFY2(ended.err.contains("lost the probe"), qPrintable(ended.err));
  }

  void aTokenInAPipeIsNotUsedUpByLookingAtIt() {
    Server server(true, "words that nobody guesses");
    const QString scan = "\"$ctl\" --token-file /dev/stdin --probe " + server.address() + " scan";
    auto right = Program::shell("printf 'words that nobody guesses' | " + scan);
    ENDED(right.run(), 0);
    auto wrong = Program::shell("printf 'others' | " + scan);
    ENDED(wrong.run(), 3);
  }

  void aSignalEndsSharing() {
    for (const int number : {SIGINT, SIGTERM, SIGHUP}) {
      Server server(true);
      const auto client = clientOf(server.port());
      client->write(frame(QByteArray("\x00\xff", 2)));
      QVERIFY(client->waitForReadyRead(2000));
      QVERIFY(server.share().signal(number));
      const Ended ended = server.share().wait(3000);
      ENDED(ended, 0);  // it serves until it is interrupted: that is how it ends well
      QVERIFY(client->state() == QAbstractSocket::UnconnectedState || client->waitForDisconnected(2000));
    }
  }

  void aProbeThatAnswersByteByByteIsRefused() {
    QTcpServer slow;
    QVERIFY(slow.listen(QHostAddress::LocalHost));
    Program program("imprimoctl", {"--probe", QString("tcp:127.0.0.1:%1").arg(slow.serverPort()), "scan"});
    program.start();
    QVERIFY(slow.waitForNewConnection(5000));
    QTcpSocket* client = slow.nextPendingConnection();
    const QByteArray answer =
        frame(QByteArray("\x00\x01\x04"
                         "abcdefghijklmnopqrst",
                         23));
    for (int i = 0; i < answer.size() && program.process().state() == QProcess::Running; ++i) {
      client->write(answer.mid(i, 1));
      client->flush();
      program.process().waitForFinished(2400);  // so the length alone takes half of the time
    }
    const Ended ended = program.wait(1000);
    ENDED(ended, 3);
    QVERIFY2(ended.err.contains("no answer within 5000 ms"), qPrintable(ended.err));
    QVERIFY2(ended.milliseconds < 6800, qPrintable(QString::number(ended.milliseconds)));
  }

  void aFrameLargerThanAPacketIsRefused() {
    QTcpServer large;
    QVERIFY(large.listen(QHostAddress::LocalHost));
    Program program("imprimoctl", {"--probe", QString("tcp:127.0.0.1:%1").arg(large.serverPort()), "scan"});
    program.start();
    QVERIFY(large.waitForNewConnection(5000));
    QTcpSocket* client = large.nextPendingConnection();
    client->write(QByteArray("\xff\xff", 2) + QByteArray(70000, 'x'));
    client->flush();
    const Ended ended = program.wait(3000);
    ENDED(ended, 3);
    QVERIFY2(ended.err.contains("65535 bytes"), qPrintable(ended.err));
  }

  void whatAProbeIsCalledIsShownAndNotObeyed() {
    World world({.flash = quickFlash("64K")});
    QString text = QString::fromStdString(world.benchText());
    text.replace("\"probe\": {", "\"probe\": {\"product\": \"Q\\u001b[31m\\u009b1mx\\ny\", ");
    QFile file(world.path("bench.json"));
    QVERIFY(file.open(QIODevice::WriteOnly) && file.write(text.toUtf8()) > 0);
    file.close();
    Program bench("imprimo-bench", {world.path("bench.json")});
    bench.start();
    const QString address = "tcp:" + bench.line("listening ").mid(10);
    const Ended ended = Program("imprimoctl", {"--probe", address, "probes"}).run();
    ENDED(ended, 0);
    QVERIFY2(ended.out.contains("Q\\e[31m\\x9B1mx\\ny"), qPrintable(ended.out));
    const Ended file2 = Program("imprimoctl", {"inspect", QString("no\033[31mfile")}).run();
    ENDED(file2, 2);
    QVERIFY2(file2.err.contains("no\\e[31mfile") && !file2.err.contains('\033'), qPrintable(file2.err));
  }
};
IMPRIMO_TEST(SharedProbesTest);
#include "tst_shared_probes.moc"
