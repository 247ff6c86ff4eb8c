// SPDX-License-Identifier: GPL-3.0-or-later
//
// A flash behind pins over two and four lines: as fast as that should be, and believed only when it was proven.
#include <random>

#include "core/base/atomic_file.h"
#include "core/pins/spi_wave.h"
#include "tests/pins/pins_world.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class WideTest : public QObject {
  Q_OBJECT

  static PinsWorldOptions fourLines(const char* more = "") {
    PinsWorldOptions options;
    options.nets =
        ", {\"pins\": [\"lark.IO(2)\"], \"flash\": \"boot\", \"wire\": \"wp\", \"pull\": 1}"
        ", {\"pins\": [\"lark.IO(3)\"], \"flash\": \"boot\", \"wire\": \"hold\", \"pull\": 1}";
    options.route = ", \"wp\": \"IO(2)\", \"hold\": \"IO(3)\"";
    options.flash = std::string(", \"lines\": 4") + more;
    return options;
  }
  static double scansPerBit(PinsWorld& world, const Bytes& expected) {
    bench::BenchMemory& memory = world.bench().at("boot");
    memory.identify();
    Bytes read(expected.size());
    NoProgress nobody;
    const std::uint64_t before = world.board().clocks();
    memory.memory().read(0, read, nobody);
    if (read != expected) return -1;
    return world.scansSince(before) / (8.0 * static_cast<double>(read.size()));
  }
  static std::uint64_t used(PinsWorld& world, std::uint8_t command) {
    const auto& all = world.sim().flash("boot").commands();
    const auto found = all.find(command);
    return found == all.end() ? 0 : found->second;
  }

 private slots:
  void twoLinesReadABitAScan() {
    PinsWorld world({.flash = ", \"lines\": 2"});
    const double scans = scansPerBit(world, world.fill(32768, 3));
    qInfo("two lines: %.3f scans a bit", scans);
    QVERIFY2(scans > 0 && scans <= 1.05, qPrintable(QString::number(scans)));
    QVERIFY(used(world, 0xBB) > 10);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void fourLinesReadTwoBitsAScan() {
    PinsWorld world(fourLines());
    const double scans = scansPerBit(world, world.fill(32768, 4));
    qInfo("four lines: %.3f scans a bit", scans);
    QVERIFY2(scans > 0 && scans <= 0.53, qPrintable(QString::number(scans)));
    QVERIFY(used(world, 0xEB) > 10);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void theBitForFourLinesIsSetMeanwhileAndPutBack() {
    PinsWorld world(fourLines(", \"second_status\": true"));
    sim::SpiFlash& flash = world.sim().flash("boot");
    flash.setSecondStatus(0x40);
    const double scans = scansPerBit(world, world.fill(32768, 5));
    QVERIFY2(scans > 0 && scans <= 0.53, qPrintable(QString::number(scans)));
    QCOMPARE(flash.secondStatus(), 0x42);
    QCOMPARE(used(world, 0x50), 1u);
    world.bench().at("boot").leaveModes();
    QCOMPARE(flash.secondStatus(), 0x40);
    world.disconnect();
    QCOMPARE(flash.secondStatus(), 0x40);
    QCOMPARE(used(world, 0x06), 0u);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  /// A register that is written together with the bit's own would make the bit stay for good.
  void registersAreWrittenAndShownAsTheyWereFound() {
    PinsWorldOptions options = fourLines(", \"second_status\": true, \"status\": \"0x1C\"");
    options.memory = ", \"part\": \"part.json\"";
    PinsWorld world(options);
    writeFileAtomically(world.path("part.json").toStdString(), R"x({"imprimo_part": 1, "name": "Lark flash",
      "id": "0x7E4015", "size": "2M", "page": 256, "program": {"typical": 0.0004, "longest": 0.003},
      "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.004, "longest": 0.4}],
      "registers": [{"name": "status 1", "read": "0x05", "write": "0x01", "together": ["status 1", "status 2"], "bits": [
          {"bits": "1..0", "name": "at work", "read_only": true}, {"bits": "4..2", "name": "block protection"}]},
        {"name": "status 2", "read": "0x35", "write": "0x01", "together": ["status 1", "status 2"]}],
      "protection": {"register": "status 1", "bits": "4..2", "levels": [
        {"value": 0, "ranges": []}, {"value": 7, "ranges": ["0+2M"]}]}})x");
    sim::SpiFlash& flash = world.sim().flash("boot");
    world.fill(0x3000, 9);
    MemoryImage image;
    image.write(0x1100, Bytes(3000, 0x5A));
    const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
    QVERIFY2(record.good(), record.message.c_str());
    QVERIFY(used(world, 0xEB) > 0);
    QCOMPARE(world.bench().at("boot").registers().read().at(1) & 0x02, 0);
    QCOMPARE(flash.secondStatus() & 0x02, 0x02);
    world.disconnect();
    QCOMPARE(flash.secondStatus(), 0);
    world.board().cyclePower();
    QCOMPARE(flash.secondStatus(), 0);
    QCOMPARE(flash.status(world.board().now()), 0x1C);
    // What is written there stays, and nothing else of it.
    plan::Wanted registers = world.wanted(plan::Task::SetRegisters);
    registers.registers = {{"status 2", 0x40}};
    const run::Record written = world.carryOut(registers);
    QVERIFY2(written.good(), written.message.c_str());
    world.disconnect();
    QCOMPARE(flash.secondStatus(), 0x40);
    world.board().cyclePower();
    QCOMPARE(flash.secondStatus(), 0x40);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aSupplyThatWasLostEndsFourLines() {
    PinsWorld world(fourLines(", \"second_status\": true"));
    const Bytes bytes = world.fill(32768, 5);
    QVERIFY(scansPerBit(world, bytes) > 0);
    world.board().cyclePower();
    QCOMPARE(world.sim().flash("boot").secondStatus(), 0);
    Bytes read(1024);
    NoProgress nobody;
    VERIFY_CONTAINS(errorOf([&] { world.bench().at("boot").memory().read(0, read, nobody); }),
                    "no longer takes four lines, which were switched on in its status 2");
    world.disconnect();
    const double again = scansPerBit(world, bytes);
    QVERIFY2(again > 0 && again <= 0.53, qPrintable(QString::number(again)));
  }

  void aLinkThatIsLostLeavesTheBitToTheNextRun() {
    PinsWorld world(fourLines(", \"second_status\": true"));
    world.fill(32768, 5);
    MemoryImage image;
    image.write(0x1000, Bytes(9000, 0x3C));
    world.bench().at("boot").identify();
    world.sim().dropLinkAtPacket(world.sim().packets() + 900);
    QVERIFY(!world.carryOut(world.wanted(plan::Task::Program, image)).good());
    QCOMPARE(world.sim().flash("boot").secondStatus(), 0x02);
    world.disconnect();
    world.sim().restoreLink();
    const run::Record next = world.carryOut(world.wanted(plan::Task::Program, image));
    QVERIFY2(next.good(), next.message.c_str());
    QCOMPARE(world.sim().flash("boot").secondStatus(), 0);
  }

  /// A part whose bit can only be written for good keeps it as it is.
  void withoutItsBitFourLinesAreTwo() {
    PinsWorldOptions options = fourLines(", \"second_status\": true");
    options.memory = ", \"part\": \"part.json\"";
    PinsWorld world(options);
    writeFileAtomically(world.path("part.json").toStdString(), R"x({"imprimo_part": 1, "name": "Lark flash",
      "id": "0x7E4015", "size": "2M", "page": 256, "program": {"typical": 0.0004, "longest": 0.003},
      "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.004, "longest": 0.4}],
      "registers": [{"name": "more", "read": "0x35"}],
      "wide_reads": [{"lines": "1-4-4", "opcode": "0xEB", "mode_clocks": 2, "dummy_clocks": 4},
                     {"lines": "1-1-2", "opcode": "0x3B", "dummy_clocks": 8}],
      "quad_enable": {"register": "more", "bit": 1}})x");
    const double scans = scansPerBit(world, world.fill(32768, 5));
    QVERIFY2(scans > 0.9 && scans <= 1.05, qPrintable(QString::number(scans)));
    QCOMPARE(used(world, 0xEB), 0u);
    QVERIFY(used(world, 0x3B) > 10);
    world.sim().flash("boot").setSecondStatus(0x02);
    world.disconnect();
    const double four = scansPerBit(world, world.fill(32768, 5));
    QVERIFY2(four > 0 && four <= 0.53, qPrintable(QString::number(four)));
    COMPARE_TEXT(world.sim().violations(), "");
  }

  /// wp and hold are the other way round on the sheet: one line reads well, four do not.
  void wrongLinesAreNotBelieved() {
    PinsWorldOptions options = fourLines();
    options.route = ", \"wp\": \"IO(3)\", \"hold\": \"IO(2)\"";
    PinsWorld world(options);
    const double scans = scansPerBit(world, world.fill(32768, 6));
    QVERIFY2(scans > 0.9 && scans <= 1.05, qPrintable(QString::number(scans)));
    QVERIFY(used(world, 0xEB) <= 2);
    QVERIFY(used(world, 0xBB) > 10);
  }

  /// Two mode clocks on two lines are half a byte; the dummy clocks behind them have the other half.
  void modeClocksNeedNotBeWholeBytes() {
    PinsWorldOptions options{.flash = ", \"lines\": 2", .memory = ", \"part\": \"part.json\""};
    PinsWorld world(options);
    writeFileAtomically(world.path("part.json").toStdString(), R"x({"imprimo_part": 1, "name": "Lark flash",
      "id": "0x7E4015", "size": "2M", "page": 256, "program": {"typical": 0.0004, "longest": 0.003},
      "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.004, "longest": 0.4}],
      "wide_reads": [{"lines": "1-2-2", "opcode": "0xBB", "mode_clocks": 2, "dummy_clocks": 2}]})x");
    const double scans = scansPerBit(world, world.fill(16384, 5));
    QVERIFY2(scans > 0 && scans <= 1.06, qPrintable(QString::number(scans)));
    QVERIFY(used(world, 0xBB) > 5);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aBlankFlashProvesNothing() {
    PinsWorld world(fourLines());
    const Bytes blank(16384, 0xFF);
    QVERIFY(scansPerBit(world, blank) > 1.9);
    QCOMPARE(used(world, 0xEB) + used(world, 0xBB), 0u);
  }

  void programsOverFourLinesAsACardHasThem() {
    PinsWorldOptions options = fourLines();
    options.memory = ", \"part\": \"part.json\"";
    PinsWorld world(options);
    writeFileAtomically(world.path("part.json").toStdString(), R"x({"imprimo_part": 1, "name": "Lark flash",
      "id": "0x7E4015", "size": "2M", "page": 256, "program": {"typical": 0.0004, "longest": 0.003},
      "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.004, "longest": 0.4}],
      "wide_programs": [{"lines": "1-1-4", "opcode": "0x32"}, {"lines": "1-4-4", "opcode": "0x38"}]})x");
    world.fill(32768, 7);
    std::mt19937 random(8);
    MemoryImage image;
    image.write(0x1000, randomBytes(random, 20000));
    const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
    QVERIFY2(record.outcome == run::Outcome::Verified, record.message.c_str());
    for (std::size_t i = 0; i < 20000; ++i)
      QCOMPARE(world.sim().flash("boot").cells().get(0x1000 + i), image.bytes({0x1000, 0x1000 + 20000})[i]);
    QVERIFY(used(world, 0x38) > 40);
    QCOMPARE(used(world, 0x02), 0u);
    QVERIFY(!world.boundary().cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void anEnableThatIsSharedLeavesOneLine() {
    // mosi on a port whose enable another port has too.
    PinsWorld world({.flash = ", \"lines\": 2"});
    const auto scan = world.bench().openPins(2);
    const pins::BoundaryPorts& ports = scan->ports();
    const auto at = [&](const char* port) { return ports.at(port); };
    const auto lines = [&](pins::SpiWires wires) { return pins::dataLines(ports, wires); };
    QCOMPARE((lines({at("IO(4)"), at("IO(5)"), at("IO(6)"), at("IO(7)")})), 2u);
    QCOMPARE((lines({at("IO(4)"), at("IO(5)"), at("SH(0)"), at("IO(7)")})), 1u);
    QCOMPARE((lines({at("IO(4)"), at("IO(5)"), at("IO(6)"), at("IN_A")})), 1u);
    QCOMPARE((lines({at("IO(4)"), at("IO(5)"), at("IO(6)"), at("IO(7)"), at("IO(1)"), at("SH(1)")})), 2u);
    QCOMPARE((lines({at("IO(4)"), at("IO(5)"), at("IO(6)"), at("BD"), at("IO(1)"), at("IO(2)")})), 4u);
  }

  void wavesGiveBackWhatTheyAreMadeOf() {
    PinsWorld world;
    const auto scan = world.bench().openPins(2);
    const pins::BoundaryPorts& ports = scan->ports();
    const auto at = [&](const char* port) { return ports.at(port); };
    // Cells of the lines in another order than the lines.
    const pins::SpiWires wires{at("IO(0)"), at("IO(1)"), at("IO(7)"), at("BD"), at("IO(2)"), at("IO(5)")};
    const pins::SpiWave wave(ports, wires, BitVector(36, false), [](const BitVector&, auto) {});
    std::mt19937 random(9);
    for (const unsigned lines : {1u, 2u, 4u}) {
      const Bytes bytes = randomBytes(random, 100);
      QCOMPARE(wave.bytesOf(wave.capturesOf(bytes, lines), lines), bytes);
    }
  }
};

IMPRIMO_TEST(WideTest);
#include "tst_wide.moc"
