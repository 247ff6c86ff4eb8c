// SPDX-License-Identifier: GPL-3.0-or-later
//
// Boards with two cores: several ports on the wires of SWD, with chips of different kinds behind them, each proven.
#include <fmt/format.h>

#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/bench/bench.h"
#include "core/probe/dap/dap_probe.h"
#include "core/run/runner.h"
#include "core/store/copy_store.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "sim/bench.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/loop_transport.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

/// Two chips on the wires, told apart by TARGETSEL; the second has its flash elsewhere, where that is asked for.
struct TwoCores {
  TwoCores(bool alike, bool jtag) {
    const std::uint32_t second = alike ? 0 : 0x08000000;
    const auto core = [&](const char* name, unsigned instance, std::uint32_t at) {
      return fmt::format(
          R"({{"name": "{}", "target": "0x01002927", {}"identity": "0xC6000001", "flash_at": "0x{:x}"}})", name,
          jtag ? std::string() : fmt::format(R"("instance": {}, "shared": true, "dormant": true, )", instance), at);
    };
    const auto device = [&](const char* name, unsigned instance, std::uint32_t at) {
      return fmt::format(R"({{"name": "{0}", "ir_length": 4, "idcode": "0x0BA0AFFB", "core": {1},
 "instructions": [{{"opcode": "1000", "register": "abort"}}, {{"opcode": "1010", "register": "dpacc"}},
 {{"opcode": "1011", "register": "apacc"}}, {{"opcode": "1110", "register": "idcode"}}]}})",
                         name, core(name, instance, at));
    };
    bench = sim::parseBench(
        fmt::format(R"({{"imprimo_bench": 1, "probe": {{"packet_size": 512, "packet_count": 4}}, "{}": [{}, {}]}})",
                    jtag ? "chain" : "cores", jtag ? device("one", 0, 0) : core("one", 0, 0),
                    jtag ? device("two", 1, second) : core("two", 1, second)),
        "two.json");
    const auto card = [&](const char* name, const char* algorithm, std::uint32_t at) {
      write(name, fmt::format(R"({{"core_card": 1, "name": "K", "regions": [
 {{"name": "program", "kind": "flash", "from": "0x{:x}", "size": "0x40000", "algorithm": "{}"}},
 {{"name": "sram", "kind": "ram", "from": "0x20000000", "size": "0x4000"}}]}})",
                              at, algorithm));
    };
    card("one.json", "one.flm", 0);
    card("two.json", "two.flm", second);
    writeFileAtomically(path("one.flm"), algorithmAt(0));
    writeFileAtomically(path("two.flm"), algorithmAt(second));
    const auto port = [&](const char* name, const char* target) {
      return jtag ? fmt::format(R"("port": "jtag", "device": "{}")", name)
                  : fmt::format(R"("port": "swd", "target": "{}")", target);
    };
    write("sheet.imprimo",
          fmt::format(R"({{"imprimo": 1, "title": "Two", {} "cores": [
 {{"name": "one", {}, "card": "one.json"}}, {{"name": "two", {}, "card": "two.json"}}], "memories": [
 {{"name": "first", "type": "core-flash", "route": {{"via": "core", "core": "one", "region": "program"}}}},
 {{"name": "second", "type": "core-flash", "route": {{"via": "core", "core": "two", "region": "program"}}}}]}})",
                      jtag ? R"("chain": [{"name": "one", "ir_length": 4}, {"name": "two", "ir_length": 4}],)" : "",
                      port("one", "0x01002927"), port("two", "0x11002927")));
    probe::ProbeOptions options = atClock(10'000'000);
    options.wires = jtag ? probe::Wires::Jtag : probe::Wires::Swd;
    work = std::make_unique<bench::Bench>(
        sheet::readSheet(path("sheet.imprimo")),
        std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(*bench), options));
  }
  Record program(const char* memory, std::uint64_t at, const Bytes& bytes) {
    Wanted wanted;
    wanted.memory = memory;
    wanted.task = Task::Program;
    wanted.image = imageAt(at, bytes);
    wanted.onlySwd = work->sheet().onlySwd();
    store::CopyStore copies(path("copies"));
    store::FileRecordSink records(path("records"));
    store::FolderNotes notes(path("notes"));
    RunObserver nobody;
    return *carryOut(wanted, *work, {copies, records, notes}, nobody, {});
  }
  const Bytes& flash(std::size_t i) { return bench->board().chip(i).flash(); }
  std::string path(const char* name) const { return folder.filePath(name).toStdString(); }
  void write(const char* name, const std::string& text) const { writeFileAtomically(path(name), text); }

  QTemporaryDir folder;
  std::unique_ptr<sim::Bench> bench;
  std::unique_ptr<bench::Bench> work;
};

}  // namespace

class TwoCoresTest : public QObject {
  Q_OBJECT
 private slots:
  void eachGetsItsOwn_data() {
    QTest::addColumn<bool>("alike");
    QTest::addColumn<bool>("jtag");
    QTest::newRow("alike, SWD") << true << false;
    QTest::newRow("of different kinds, SWD") << false << false;
    QTest::newRow("alike, JTAG") << true << true;
    QTest::newRow("of different kinds, JTAG") << false << true;
  }

  /// Both are connected to, and worked on in turn.
  void eachGetsItsOwn() {
    QFETCH(const bool, alike);
    QFETCH(const bool, jtag);
    TwoCores t(alike, jtag);
    t.work->core("one");
    t.work->core("two");
    const std::uint64_t second = alike ? 0 : 0x08000000;
    for (unsigned round = 0; round < 3; ++round) {
      const Bytes a = bytesOf(50 + round, 0x1800), b = bytesOf(60 + round, 0x1400);
      const Record first = t.program("first", 0x1000, a);
      QVERIFY2(first.outcome == Outcome::Verified, first.message.c_str());
      const Record other = t.program("second", second + 0x1000, b);
      QVERIFY2(other.outcome == Outcome::Verified, other.message.c_str());
      QVERIFY(std::equal(a.begin(), a.end(), t.flash(0).begin() + 0x1000));
      QVERIFY(std::equal(b.begin(), b.end(), t.flash(1).begin() + 0x1000));
    }
    QCOMPARE(t.work->core("one").lookAt().state, t.work->core("two").lookAt().state);
    t.work.reset();
    QVERIFY2(t.bench->violations().empty(), t.bench->violations().c_str());
  }
};

IMPRIMO_TEST(TwoCoresTest);
#include "tst_two_cores.moc"
