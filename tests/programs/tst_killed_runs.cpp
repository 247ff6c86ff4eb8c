// SPDX-License-Identifier: GPL-3.0-or-later
//
// The process of a run is killed at any of its packets; the next ordinary run puts everything right.
#include <signal.h>

#include <atomic>

#include "sim/bench_server.h"
#include "tests/support/program.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

WorldOptions keeping(bool uniqueId) {
  WorldOptions o;
  o.flash = quickFlash("256K") + (uniqueId ? R"(, "unique_id": "0x0011223344556677")" : "");
  o.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x3800", "to": "0x38FF"}])";
  return o;
}

/// A kept range and neighbours in blocks that also get planned bytes, served to a real process.
class Scene {
 public:
  explicit Scene(bool uniqueId) : world_(keeping(uniqueId)), old_(bytesOf(1, 0x8000)), planned_(bytesOf(2, 0x2740)) {
    world_.fill(0, old_);
    QFile file(world_.path("planned.bin"));
    if (file.open(QIODevice::WriteOnly)) file.write(reinterpret_cast<const char*>(planned_.data()), 0x2740);
    sim::ServerOptions options;
    options.beforePacket = [this](std::uint64_t number) {
      if (number == killAt_) ::kill(victim_, SIGKILL);
    };
    server_ = std::make_unique<sim::BenchServer>(world_.sim(), options);
  }
  /// Programs; the process is killed before packet `at` of the bench is worked on.
  Ended program(std::uint64_t at = UINT64_MAX) {
    Program program("imprimoctl",
                    {"--probe", QString::fromStdString(server_->address()), "program", world_.path("sheet.imprimo"),
                     "boot-flash", "--place", world_.path("planned.bin") + "@0x1000"},
                    world_.path("data"));
    program.start();
    victim_ = static_cast<pid_t>(program.process().processId());
    killAt_ = at;
    return program.wait();
  }
  std::uint64_t packets() {
    return server_->with([](sim::Bench& bench) { return bench.packets(); });
  }
  void cutPower() {
    server_->with([](sim::Bench& bench) { bench.board().cyclePower(); });
  }
  bool isAsItWas() { return cells() == old_; }
  bool isRight() {
    Bytes expected = old_;
    std::copy(planned_.begin(), planned_.end(), expected.begin() + 0x1000);
    return cells() == expected;
  }

 private:
  Bytes cells() {
    return server_->with([this](sim::Bench&) { return world_.cells(0, 0x8000); });
  }

  World world_;
  Bytes old_, planned_;
  std::atomic<pid_t> victim_{0};
  std::atomic<std::uint64_t> killAt_{UINT64_MAX};
  std::unique_ptr<sim::BenchServer> server_;
};

}  // namespace

class KilledRunsTest : public QObject {
  Q_OBJECT
 private slots:
  void whereverTheProcessIsKilledTheNextRunPutsEverythingRight() {
    Scene clean(false);
    ENDED(clean.program(), 0);
    QVERIFY(clean.isRight());
    const std::uint64_t packets = clean.packets();
    bool set = false;
    const int wanted = qEnvironmentVariableIntValue("IMPRIMO_KILLS", &set);
    const std::uint64_t places = set ? static_cast<std::uint64_t>(wanted) : 60;
    int halfDone = 0, killed = 0;
    for (std::uint64_t i = 0; i < places; ++i) {
      // More places than packets: each kind of board is tried at every one.
      const bool uniqueId = i % 2 == 0, power = i % 3 == 0;
      const std::uint64_t at = 1 + (i * (packets - 1) / places + i) % packets;
      Scene scene(uniqueId);
      killed += scene.program(at).code == 128 + SIGKILL ? 1 : 0;
      if (power) scene.cutPower();
      halfDone += scene.isAsItWas() || scene.isRight() ? 0 : 1;
      const Ended next = scene.program();
      QVERIFY2(next.code == 0 && scene.isRight(),
               qPrintable(QString("killed at packet %1 of %2, %3, %4: exit %5, %6")
                              .arg(at)
                              .arg(packets)
                              .arg(uniqueId ? "unique ID" : "no unique ID", power ? "power cut" : "power on")
                              .arg(next.code)
                              .arg(next.err)));
    }
    qInfo("%d of %d processes were killed by us, %d left the memory half done; packets in a clean run: %d", killed,
          static_cast<int>(places), halfDone, static_cast<int>(packets));
    QVERIFY(killed >= static_cast<int>(places) * 9 / 10);
    QVERIFY(halfDone >= static_cast<int>(places) / 10);
  }
};
IMPRIMO_TEST(KilledRunsTest);
#include "tst_killed_runs.moc"
