// SPDX-License-Identifier: GPL-3.0-or-later
//
// A parallel flash behind pins, of both command sets, on 8 and 16 data lines.
#include <QTemporaryDir>
#include <random>

#include "core/base/atomic_file.h"
#include "core/flash/cfi.h"
#include "core/flash/parallel_nor.h"
#include "core/probe/dap/dap_probe.h"
#include "core/run/runner.h"
#include "core/store/copy_store.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "sim/bench.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

constexpr unsigned kAddressLines = 17;

/// One device whose pins lead to a parallel flash of 256 KiB.
struct BusWorld {
  /// In the sheet `to` takes the place of `from`, if that is not empty.
  explicit BusWorld(unsigned dataBits, const std::string& flash, const std::string& from = "",
                    const std::string& to = "") {
    std::string cells, pins, nets, ports;
    unsigned cell = 0;
    const auto output = [&](const std::string& name, const std::string& wire, unsigned width) {
      cells += fmt::format(R"x("{} (BC_1, {}, output2, 1)," & )x", cell, name);
      pins += fmt::format(R"x({{"port": "{}", "out": {}}}, )x", name, cell);
      nets += fmt::format(R"x({{"pins": ["wader.{}"], "flash": "store", "wire": "{}"}}, )x", name, wire);
      cell += width;
    };
    for (unsigned i = 0; i < kAddressLines; ++i) output(fmt::format("A({})", i), fmt::format("a{}", i), 1);
    output("NCE", "ce", 1);
    output("NOE", "oe", 1);
    output("NWE", "we", 1);
    const unsigned enable = cell++;
    cells += fmt::format(R"x("{} (BC_2, *, control, 1)," & )x", enable);
    for (unsigned i = 0; i < dataBits; ++i) {
      cells += fmt::format(R"x("{} (BC_1, D({}), output3, X, {}, 1, Z)," & "{} (BC_1, D({}), input, X)," & )x", cell, i,
                           enable, cell + 1, i);
      pins += fmt::format(R"x({{"port": "D({})", "enable": {}, "off": 1, "out": {}, "in": {}}}, )x", i, enable, cell,
                          cell + 1);
      nets += fmt::format(R"x({{"pins": ["wader.D({})"], "flash": "store", "wire": "d{}", "pull": 1}}, )x", i, i);
      cell += 2;
    }
    cells += fmt::format(R"x("{} (BC_0, *, internal, X)")x", cell);
    pins.resize(pins.size() - 2);
    nets.resize(nets.size() - 2);
    const std::string bsdl = fmt::format(R"x(entity WADER_X is
  port (A : out bit_vector(0 to {}); D : inout bit_vector(0 to {}); NCE, NOE, NWE : out bit; TCK, TMS, TDI : in bit; TDO : out bit);
  use STD_1149_1_2001.all;
  attribute TAP_SCAN_IN of TDI : signal is true;
  attribute TAP_SCAN_MODE of TMS : signal is true;
  attribute TAP_SCAN_OUT of TDO : signal is true;
  attribute TAP_SCAN_CLOCK of TCK : signal is (20.0e6, BOTH);
  attribute INSTRUCTION_LENGTH of WADER_X : entity is 4;
  attribute INSTRUCTION_OPCODE of WADER_X : entity is
    "BYPASS (1111)," & "EXTEST (0000)," & "SAMPLE (0010)," & "PRELOAD (0010)," & "IDCODE (0001)";
  attribute INSTRUCTION_CAPTURE of WADER_X : entity is "0001";
  attribute IDCODE_REGISTER of WADER_X : entity is "XXXX" & "1100011001110001" & "11111111110" & "1";
  attribute BOUNDARY_LENGTH of WADER_X : entity is {};
  attribute BOUNDARY_REGISTER of WADER_X : entity is {};
end WADER_X;
)x",
                                         kAddressLines - 1, dataBits - 1, cell + 1, cells);
    const std::string board = fmt::format(R"x({{"imprimo_bench": 1, "chain": [
 {{"name": "wader", "ir_length": 4, "idcode": "0x0C671FFD", "instructions": [{{"opcode": "0001", "register": "idcode"}},
   {{"opcode": "0010", "register": "sample-preload"}}, {{"opcode": "0000", "register": "extest"}}],
   "boundary": {{"length": {}, "pins": [{}]}}}}],
 "parallel_flashes": [{{"name": "store", "size": "256K", "data_bits": {}, {},
   "times": {{"word": 0.000016, "buffer": 0.000128, "erase": 0.008}}}}], "nets": [{}]}})x",
                                          cell + 1, pins, dataBits, flash, nets);
    std::string text = fmt::format(R"x({{"imprimo": 1, "title": "Bus", "probe": {{"clock": 10000000}},
 "chain": [{{"name": "wader", "bsdl": "wader.bsd"}}],
 "memories": [{{"name": "store", "type": "parallel-nor", "route": {{"via": "pins", "device": "wader",
   "address": ["A(0..{})"], "data": ["D(0..{})"], "ce": "nce", "oe": "NOE", "we": "NWE"}}}}]}})x",
                                   kAddressLines - 1, dataBits - 1);
    if (!from.empty()) text.replace(text.find(from), from.size(), to);
    writeFileAtomically(path("wader.bsd"), bsdl);
    writeFileAtomically(path("sheet.imprimo"), text);
    sim = sim::parseBench(board, path("bench.json"));
    sheet = sheet::readSheet(path("sheet.imprimo"));
    bench = std::make_unique<bench::Bench>(
        sheet, std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(*sim), atClock(10'000'000)));
  }
  std::string path(const char* name) const { return folder.filePath(name).toStdString(); }
  sim::ParallelNor& flash() { return *sim->board().parallelFlash("store"); }
  Bytes cells(std::uint64_t at, std::size_t count) {
    Bytes bytes;
    for (std::size_t i = 0; i < count; ++i) bytes.push_back(flash().cells().get(at + i));
    return bytes;
  }
  run::Record program(const MemoryImage& image) {
    store::CopyStore backups(path("copies"));
    store::FileRecordSink records(path("records"));
    store::FolderNotes notes(path("unfinished"));
    run::RunObserver nobody;
    plan::Wanted wanted;
    wanted.task = plan::Task::Program;
    wanted.memory = "store";
    wanted.image = image;
    return *run::carryOut(wanted, *bench, {backups, records, notes}, nobody, {});
  }

  QTemporaryDir folder;
  std::unique_ptr<sim::Bench> sim;
  sheet::Sheet sheet;
  std::unique_ptr<bench::Bench> bench;
};

}  // namespace

class ParallelTest : public QObject {
  Q_OBJECT
 private slots:
  void programsAndReads_data() {
    QTest::addColumn<unsigned>("bits");
    QTest::addColumn<QString>("flash");
    QTest::newRow("set 2, 16 lines") << 16u << R"("command_set": 2, "regions": [{"count": 32, "size": 8192}])";
    QTest::newRow("set 2, 8 lines, no buffer")
        << 8u << R"("command_set": 2, "buffer": 0, "regions": [{"count": 32, "size": 8192}])";
    QTest::newRow("set 2, boot blocks on top")
        << 16u
        << R"("command_set": 2, "top_boot": true, "regions": [{"count": 3, "size": 65536}, {"count": 8, "size": 8192}])";
    QTest::newRow("set 1, 16 lines, locked")
        << 16u << R"("command_set": 1, "locks": true, "regions": [{"count": 32, "size": 8192}])";
    QTest::newRow("set 1, 16 lines, no buffer")
        << 16u << R"("command_set": 1, "buffer": 0, "locks": true, "regions": [{"count": 32, "size": 8192}])";
    QTest::newRow("set 1, 8 lines") << 8u << R"("command_set": 1, "buffer": 16)";
  }
  void programsAndReads() {
    QFETCH(unsigned, bits);
    QFETCH(QString, flash);
    BusWorld world(bits, flash.toStdString());
    std::mt19937 random(bits);
    const std::uint64_t reach = (std::uint64_t{1} << kAddressLines) * bits / 8;
    const Bytes old = randomBytes(random, 256 * 1024);
    for (std::size_t i = 0; i < old.size(); ++i) world.flash().cells().set(i, old[i]);
    const memory::Identity& identity = world.bench->at("store").identify();
    COMPARE_TEXT(identity.id, bits == 16 ? "0x7e2249" : "0x7e0049");
    QCOMPARE(identity.geometry.size, 256u * 1024);
    Bytes read(3001);
    NoProgress nobody;
    world.bench->at("store").memory().read(0x1235, read, nobody);
    QVERIFY(read == Bytes(old.begin() + 0x1235, old.begin() + 0x1235 + 3001));
    MemoryImage image;
    const std::uint64_t at = std::min<std::uint64_t>(reach, 256 * 1024) - 2500;
    image.write(at, randomBytes(random, 2301));
    const run::Record record = world.program(image);
    QVERIFY2(record.outcome == run::Outcome::Verified, record.message.c_str());
    QVERIFY(world.cells(at, 2301) == image.bytes({at, at + 2301}));
    QVERIFY(world.cells(0, 0x10000) == Bytes(old.begin(), old.begin() + 0x10000));
    QVERIFY(world.cells(at - 100, 100) ==
            Bytes(old.begin() + static_cast<std::ptrdiff_t>(at) - 100, old.begin() + static_cast<std::ptrdiff_t>(at)));
    QVERIFY(!world.sim->board().device(0).boundary()->cutsOff());
    COMPARE_TEXT(world.sim->violations(), "");
  }

  void aScanReadsAWord() {
    BusWorld world(16, R"("command_set": 2)");
    world.bench->at("store").identify();
    const std::uint64_t before = world.sim->board().clocks();
    Bytes read(32768);
    NoProgress nobody;
    world.bench->at("store").memory().read(0, read, nobody);
    const double scans = static_cast<double>(world.sim->board().clocks() - before) /
                         (world.sim->board().device(0).boundary()->model().length + 6.0);
    const double perWord = scans / (32768 / 2);
    QVERIFY2(perWord <= 1.05, qPrintable(QString::number(perWord)));
  }

  void whatAnswersNothingOrNoiseIsSaid() {
    /// Nobody drives the data lines, or what they are changes from read to read.
    struct Nobody : spi::ParallelBus {
      explicit Nobody(bool noise) : noisy(noise) {}
      std::vector<std::uint16_t> run(const std::vector<spi::BusItem>& items) override {
        std::vector<std::uint16_t> words;
        for (const spi::BusItem& item : items) {
          if (!std::holds_alternative<spi::BusRead>(item)) continue;
          words.push_back(noisy ? static_cast<std::uint16_t>(random()) : std::uint16_t{0xFFFF});
        }
        return words;
      }
      unsigned dataBits() const override { return 16; }
      unsigned addressBits() const override { return 20; }
      double readSeconds() const override { return 1e-5; }
      bool noisy;
      std::mt19937 random{1};
    };
    Nobody silent(false), noise(true);
    VERIFY_CONTAINS(errorOf([&] { flash::ParallelNor(silent, "store"); }), "store: no query table answers");
    VERIFY_CONTAINS(errorOf([&] { flash::ParallelNor(noise, "store"); }), "two reads of its query table differ");
  }

  void aTableThatContradictsItselfIsSaid() {
    Bytes space(flash::kCfiBytes, 0);
    space[0x10] = 'Q';
    space[0x11] = 'R';
    space[0x12] = 'Y';
    space[0x13] = 9;
    VERIFY_CONTAINS(errorOf([&] { flash::parseCfi(space, "store"); }), "command set 9");
    space[0x13] = 2;
    VERIFY_CONTAINS(errorOf([&] { flash::parseCfi(space, "store"); }), "has no size");
    space[0x27] = 20;
    VERIFY_CONTAINS(errorOf([&] { flash::parseCfi(space, "store"); }), "blocks of 0 bytes in all");
    space[0x1F] = 40;
    VERIFY_CONTAINS(errorOf([&] { flash::parseCfi(space, "store"); }), "has no time at 0x1F");
  }

  void routesThatAreWrongAreSaid() {
    const auto identified = [](const std::string& from, const std::string& to) {
      return errorOf([&] {
        BusWorld world(16, R"("command_set": 2)", from, to);
        world.bench->at("store").identify();
      });
    };
    COMPARE_TEXT(identified("", ""), "no error");
    VERIFY_CONTAINS(identified("\"oe\": \"NOE\"", "\"oe\": \"NWE\""), "NWE cannot be both oe and we");
    VERIFY_CONTAINS(identified("\"oe\": \"NOE\"", "\"oe\": \"NOE\", \"hold_pins\": {\"D(3)\": 0}"),
                    "D(3) is data line 3 and cannot be held");
    VERIFY_CONTAINS(identified("\"D(0..15)\"", "\"A(0..15)\""), "A(0) cannot be both address line 0 and data line 0");
    VERIFY_CONTAINS(identified("\"A(0..16)\"", "\"D(0..15)\""), "cannot be both address line 0 and data line 0");
    // What the sheet itself cannot mean.
    VERIFY_CONTAINS(identified("\"D(0..15)\"", "\"D(0..6)\""), "data: should have 8 or 16 lines");
    VERIFY_CONTAINS(identified("\"D(0..15)\"", "\"D(0..99)\""), "should be a port, or elements of a vector");
    VERIFY_CONTAINS(identified("\"A(0..16)\"", "\"A(0..x)\""), "should be a port, or elements of a vector");
    VERIFY_CONTAINS(identified("\"A(0..16)\"", "\"..A(0\""), "there is no port ..A(0");
    // ce and oe the other way round: everything follows, and nothing answers.
    VERIFY_CONTAINS(identified("\"ce\": \"nce\", \"oe\": \"NOE\", \"we\": \"NWE\"",
                               "\"ce\": \"nce\", \"oe\": \"NWE\", \"we\": \"NOE\""),
                    "no query table answers");
  }
};

IMPRIMO_TEST(ParallelTest);
#include "tst_parallel.moc"
