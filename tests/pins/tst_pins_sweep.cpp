// SPDX-License-Identifier: GPL-3.0-or-later
//
// Runs on a flash behind pins, in which something breaks once: the link, an answer, the power, a command, a byte.
// Whatever it is, the record says what is so, nothing outside the plan changes, all pins are the device's own
// afterwards, and the next run succeeds. IMPRIMO_PINS_SWEEP_RUNS asks for more of them.
#include <random>

#include "core/base/atomic_file.h"
#include "core/pins/pin_spi_port.h"
#include "tests/pins/pins_world.h"
#include "tests/support/break_once.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

constexpr Breaks kAll[] = {Breaks::Link,    Breaks::Refusal, Breaks::Power,
                           Breaks::Command, Breaks::ByteIn,  Breaks::ByteOut};
constexpr std::size_t kData = 0x2000;
constexpr AddressRange kImage{0x0B00, 0x0B00 + 0x480};

PinsWorldOptions options(unsigned variant) {
  PinsWorldOptions o;
  o.drives = "";
  if (variant % 2 == 1) {
    o.flash = ", \"lines\": 4";
    o.nets =
        ", {\"pins\": [\"lark.IO(2)\"], \"flash\": \"boot\", \"wire\": \"wp\", \"pull\": 1}"
        ", {\"pins\": [\"lark.IO(3)\"], \"flash\": \"boot\", \"wire\": \"hold\", \"pull\": 1}";
    o.route = ", \"wp\": \"IO(2)\", \"hold\": \"IO(3)\"";
  }
  return o;
}

struct Scene {
  explicit Scene(unsigned v) : world(options(v)), old(world.fill(kData, 100 + v)), expected(old) {
    std::mt19937 random(200 + v);
    image = randomBytes(random, kImage.size());
    std::copy(image.begin(), image.end(), expected.begin() + static_cast<std::ptrdiff_t>(kImage.begin));
    wanted = world.wanted(plan::Task::Program);
    wanted.image.write(kImage.begin, image);
  }
  sim::SpiFlash& flash() { return world.sim().flash("boot"); }
  Bytes cells() {
    Bytes bytes;
    for (std::size_t i = 0; i < kData; ++i) bytes.push_back(flash().cells().get(i));
    return bytes;
  }
  PinsWorld world;
  Bytes old, expected, image;
  plan::Wanted wanted;
};

using Lengths = RunLengths;

Lengths lengthsOf(unsigned variant) {
  Scene clean(variant);
  clean.world.bench().at("boot").identify();
  Lengths l{};
  l.firstPacket = clean.world.sim().packets();
  l.begin = sim::toSeconds(clean.world.board().now());
  const run::Record record = clean.world.carryOut(clean.wanted);
  if (record.outcome != run::Outcome::Verified || clean.cells() != clean.expected) qFatal("%s", record.message.c_str());
  l.packets = clean.world.sim().packets();
  l.commands = clean.flash().commandCount();
  l.bytesIn = clean.flash().bytesWritten();
  l.bytesOut = clean.flash().bytesRead();
  l.end = sim::toSeconds(clean.world.board().now());
  return l;
}

}  // namespace

class PinsSweepTest : public QObject {
  Q_OBJECT
 private slots:
  void whateverBreaksIsTold() {
    const int runs = qEnvironmentVariableIsSet("IMPRIMO_PINS_SWEEP_RUNS")
                         ? qEnvironmentVariableIntValue("IMPRIMO_PINS_SWEEP_RUNS")
                         : 12;
    const Lengths lengths[2] = {lengthsOf(0), lengthsOf(1)};
    std::mt19937 random(22);
    for (int i = 0; i < runs; ++i) {
      const Breaks breaks = kAll[static_cast<unsigned>(i) % std::size(kAll)];
      const unsigned variant = static_cast<unsigned>(i) / std::size(kAll) % 2;
      const double where = static_cast<double>(random()) / 0x100000000ull;
      Scene s(variant);
      s.world.bench().at("boot").identify();
      breakOnce(s.world.sim(), s.flash(), breaks, lengths[variant], where,
                static_cast<std::uint8_t>(1u << (random() % 8)));
      const run::Record record = s.world.carryOut(s.wanted);
      const std::string what =
          fmt::format("run {}, break {} at {:.3f}: {}", i, static_cast<int>(breaks), where, record.message);
      const Bytes now = s.cells();
      if (record.good()) QVERIFY2(now == s.expected, what.c_str());
      if (!record.changed) QVERIFY2(now == s.old, what.c_str());
      // The blocks that the image does not touch are as they were.
      QVERIFY2(std::equal(now.begin() + 0x1000, now.end(), s.old.begin() + 0x1000), what.c_str());
      // The board is given back to the next one, and that run ends what this one began.
      s.world.disconnect();
      s.world.board().repair();
      s.world.sim().restoreLink();
      const run::Record next = s.world.carryOut(s.wanted);
      QVERIFY2(next.good(), (what + "; then: " + next.message).c_str());
      QVERIFY2(s.cells() == s.expected, what.c_str());
      QVERIFY2(!s.world.boundary().cutsOff(), what.c_str());
    }
  }

  void aTrialAndRegistersWorkThroughPins() {
    PinsWorld world(
        {.flash = ", \"second_status\": true, \"status\": \"0x1C\"", .memory = ", \"part\": \"part.json\""});
    writeFileAtomically(world.path("part.json").toStdString(), R"x({"imprimo_part": 1, "name": "Lark flash",
      "id": "0x7E4015", "size": "2M", "page": 256, "program": {"typical": 0.0004, "longest": 0.003},
      "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.004, "longest": 0.4}],
      "registers": [{"name": "status 1", "read": "0x05", "write": "0x01", "together": ["status 1", "status 2"], "bits": [
          {"bits": "1..0", "name": "at work", "read_only": true}, {"bits": "4..2", "name": "block protection"}]},
        {"name": "status 2", "read": "0x35", "write": "0x01", "together": ["status 1", "status 2"]}],
      "protection": {"register": "status 1", "bits": "4..2", "levels": [
        {"value": 0, "ranges": []}, {"value": 7, "ranges": ["0+2M"]}]}})x");
    const Bytes old = world.fill(0x2000, 9);
    // All of it is protected: that is cleared for the run, and put back.
    MemoryImage image;
    image.write(0x1100, Bytes(300, 0x5A));
    const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
    QVERIFY2(record.good(), record.message.c_str());
    QCOMPARE(world.sim().flash("boot").cells().get(0x1100 + 299), 0x5A);
    QCOMPARE(world.sim().flash("boot").status(world.board().now()), 0x1C);
    QCOMPARE(world.sim().flash("boot").cells().get(0x1000), old[0x1000]);
    plan::Wanted registers = world.wanted(plan::Task::SetRegisters);
    registers.registers = {{"status 2", 0x40}};
    const run::Record written = world.carryOut(registers);
    QVERIFY2(written.good(), written.message.c_str());
    QCOMPARE(world.sim().flash("boot").secondStatus(), 0x40);
    plan::Wanted trial = world.wanted(plan::Task::Trial);
    trial.trialReads = 3;
    trial.ranges = {{0x10000, 0x11000}};
    const run::Record tried = world.carryOut(trial);
    QVERIFY2(tried.good(), tried.message.c_str());
    QVERIFY(!world.boundary().cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  /// The pin that protects the register is low, unless the route drives it.
  void aLowWpIsSaid() {
    const char* net = ", {\"pins\": [\"lark.IO(2)\"], \"flash\": \"boot\", \"wire\": \"wp\", \"pull\": 0}";
    const auto written = [](PinsWorld& world) {
      plan::Wanted registers = world.wanted(plan::Task::SetRegisters);
      registers.registers = {{"status 1", 0x80}};
      const run::Record locked = world.carryOut(registers);
      if (!locked.good()) return locked;
      registers.registers = {{"status 1", 0x84}};
      return world.carryOut(registers);
    };
    PinsWorld low({.nets = net});
    const run::Record refused = written(low);
    QVERIFY(!refused.good());
    VERIFY_CONTAINS(refused.message, "write-protect pin (WP) may be low");
    PinsWorld high({.nets = net, .route = ", \"wp\": \"IO(2)\""});
    const run::Record taken = written(high);
    QVERIFY2(taken.good(), taken.message.c_str());
  }

  void whatIsWrongWithAWireIsSaid() {
    // clk is held by something else on the board.
    PinsWorld shorted({.nets = ", {\"pins\": [\"lark.IO(3)\"], \"drives\": 0}"});
    const auto silence = [&](const char* clk, const char* miso) {
      const auto scan = shorted.bench().openPins(2);
      const auto at = [&](const char* port) { return scan->ports().at(port); };
      pins::PinSpiPort port(*scan, {at("IO(4)"), at(clk), at("IO(6)"), at(miso)});
      return port.whySilent();
    };
    VERIFY_CONTAINS(silence("IO(3)", "IO(7)"), "IO(3) (clk) does not follow what is driven there and stays 0");
    VERIFY_CONTAINS(silence("IO(5)", "IO(1)"), "IO(1) (miso) may not lead to the flash");
    QVERIFY(!shorted.boundary().cutsOff());
    // And with the error of whoever is asked for the memory.
    PinsWorld missing({.io4 = "IO(2)"});
    std::string remedy;
    try {
      missing.bench().at("boot").identify();
    } catch (const Error& e) {
      remedy = e.remedy();
    }
    VERIFY_CONTAINS(remedy, "All wires that are driven follow");
  }
};

IMPRIMO_TEST(PinsSweepTest);
#include "tst_pins_sweep.moc"
