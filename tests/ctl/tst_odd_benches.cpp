// SPDX-License-Identifier: GPL-3.0-or-later
//
// The commands at probes with old firmware and clocks of their own, in real time: the board's time is the wall's.
#include <QTest>

#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class OddBenchesTest : public QObject {
  Q_OBJECT
 private slots:
  void everythingThatWorksWorksThere_data() {
    QTest::addColumn<QString>("probe");
    QTest::addColumn<bool>("mpsse");
    QTest::addRow("no atomic commands, no delay, short packets")
        << R"("atomic_commands": false, "delay": "unknown", "packet_size": 64)" << false;
    QTest::addRow("a delay that passes no time, four times the clock")
        << R"("delay": "passes-no-time", "lowest_clock": 40000000, "packet_size": 1024)" << false;
    QTest::addRow("a clock far below the one asked for") << R"("highest_clock": 500000)" << false;
    QTest::addRow("an engine that keeps 1 KiB") << R"("packet_size": 64)" << true;
  }
  void everythingThatWorksWorksThere() {
    QFETCH(QString, probe);
    QFETCH(bool, mpsse);
    Gauge files([&](QString& bench) {
      bench.remove(R"(, "packet_size": 512, "packet_count": 4)");
      bench.replace("\"probe\": {", R"("mpsse": {"buffer": 1024}, "probe": {)" + probe + ", ");
    });
    const auto bench = sim::readBench(files.path("bench.json").toStdString());
    sim::ServerOptions options;
    options.realTime = true;
    options.mpsse = mpsse;
    sim::BenchServer server(*bench, options);
    const auto ctl = [&](QStringList words) {
      return Gauge::run(QStringList{"--probe", QString::fromStdString(server.address())} + words);
    };
    std::mt19937 random(17);
    const Bytes bytes = randomBytes(random, 6000);
    files.write("new.bin",
                QByteArray(reinterpret_cast<const char*>(bytes.data()), static_cast<qsizetype>(bytes.size())));
    CODE(ctl({"scan"}), 0);
    CODE(ctl({"program", files.sheet(), "boot-flash", "--place", files.path("new.bin@0x700000")}), 0);
    CODE(ctl({"verify", files.sheet(), "boot-flash", "--place", files.path("new.bin@0x700000")}), 0);
    CODE(ctl({"configure", files.sheet(), "sequencer"}), 0);
    COMPARE_TEXT(server.with([](sim::Bench& b) { return b.violations(); }), "");
  }
};
IMPRIMO_TEST(OddBenchesTest);
#include "tst_odd_benches.moc"
