// SPDX-License-Identifier: GPL-3.0-or-later
//
// Parts that can be configured, driven at their TAP as the standards have it, with none of the program's own code.
#include <QTest>

#include "sim/bench.h"
#include "sim/fabric.h"
#include "sim/isc_cells.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using sim::Role;

namespace {

constexpr sim::Time kMs = 1'000'000'000;

sim::IscModel rows() {
  sim::IscModel m;
  m.name = "cells";
  m.rows = 4;
  m.width = 8;
  m.addressBits = 2;
  m.needsErase = true;
  m.enableSeconds = 0.001;
  return m;
}

/// A part that is told of TAP states; time passes in Run-Test/Idle.
struct Driver {
  explicit Driver(sim::IscModel model) : cells(std::move(model), violations) {}
  void go(Role role, double ms, const std::vector<bool>& bits = {}) {
    cells.instruction(role, now);
    if (!bits.empty()) cells.update(role, bits, now);
    cells.enterIdle(role, now);
    now += static_cast<sim::Time>(ms * static_cast<double>(kMs));
    cells.leaveIdle(role, now, 1);
  }
  void program(unsigned row, std::uint8_t value) {
    go(Role::IscAddress, 0.001, {(row & 1) != 0, (row & 2) != 0});
    std::vector<bool> bits(8);
    for (int i = 0; i < 8; ++i) bits[static_cast<std::size_t>(i)] = (value >> i & 1) != 0;
    go(Role::IscData, 0.001, bits);
    go(Role::IscProgram, 3);
  }
  std::uint8_t row(std::size_t r) {
    std::uint8_t value = 0;
    for (std::size_t i = 0; i < 8; ++i) value |= static_cast<std::uint8_t>(cells.rows()[r][i] ? 1 << i : 0);
    return value;
  }
  sim::Violations violations;
  sim::IscCells cells;
  sim::Time now = 0;
};

/// A bitstream as docs/formats/bench.md has it.
Bytes bitstream(std::uint32_t idcode, std::uint32_t usercode, bool bridge, std::size_t frames) {
  Bytes b(32, 0xFF);
  const auto word = [&b](std::uint32_t v) {
    for (int s = 24; s >= 0; s -= 8) b.push_back(static_cast<std::uint8_t>(v >> s));
  };
  word(0x9A516CE1);
  word(idcode);
  word(usercode);
  word(static_cast<std::uint32_t>(4 + 16 + frames + 4));
  word(bridge ? 1 : 0);
  for (std::size_t i = 0; i < frames; ++i) b.push_back(static_cast<std::uint8_t>(i * 37));
  std::uint32_t crc = 0xFFFFFFFF;
  for (std::size_t i = 36; i < b.size(); ++i) {
    crc ^= b[i];
    for (int k = 0; k < 8; ++k) crc = (crc & 1) != 0 ? crc >> 1 ^ 0xEDB88320u : crc >> 1;
  }
  word(~crc);
  return b;
}

struct FabricDriver {
  explicit FabricDriver(sim::FabricModel model = {}) {
    model.name = "fabric";
    model.idcode = 0x1F40AFFD;
    model.bootsFrom = {0, 0x1000};
    fabric = std::make_unique<sim::Fabric>(model, &flash, violations);
  }
  unsigned status() {
    unsigned s = 0;
    const auto bits = fabric->capture(Role::FabricStatus, now);
    for (std::size_t i = 0; i < bits.size(); ++i) s |= bits[i] ? 1u << i : 0;
    return s;
  }
  void clear(double ms = 5) {
    fabric->instruction(Role::FabricClear, now);
    now += static_cast<sim::Time>(ms * static_cast<double>(kMs));
  }
  void load(const Bytes& bytes, int skipBits = 0) {
    fabric->instruction(Role::FabricLoad, now);
    for (int i = 0; i < skipBits; ++i) fabric->shiftIn(Role::FabricLoad, 0, 1);
    for (const std::uint8_t byte : bytes) fabric->shiftIn(Role::FabricLoad, reverseBits(byte), 8);
  }
  void start(std::uint64_t clocks) {
    fabric->instruction(Role::FabricStart, now);
    fabric->enterIdle(Role::FabricStart, now);
    fabric->leaveIdle(Role::FabricStart, now, clocks);
  }
  void put(std::uint64_t at, const Bytes& bytes) {
    for (std::size_t i = 0; i < bytes.size(); ++i) flash.cells().set(at + i, bytes[i]);
  }
  sim::Violations violations;
  sim::SpiFlash flash{sim::FlashModel{}, violations};
  std::unique_ptr<sim::Fabric> fabric;
  sim::Time now = 1000 * kMs;
};

}  // namespace

class ConfigurableTest : public QObject {
  Q_OBJECT
 private slots:
  void inOrderAndInTimeEverythingIsTaken() {
    Driver d(rows());
    d.go(Role::IscEnable, 1);
    d.go(Role::IscErase, 100);
    d.program(2, 0x5A);
    QCOMPARE(d.row(2), 0x5A);
    QCOMPARE(d.row(1), 0xFF);
    d.go(Role::IscDone, 3);
    d.go(Role::IscDisable, 1);
    COMPARE_TEXT(d.cells.state(d.now), "programmed, user code 0xffffffff");
    COMPARE_TEXT(d.violations.text(), "");
  }

  void wrongOrderIsNotedAndDoesNothing() {
    Driver d(rows());
    d.program(1, 0x00);
    QCOMPARE(d.row(1), 0xFF);
    VERIFY_CONTAINS(d.violations.text(), "cells: ISC_PROGRAM outside of ISC mode");
    d.go(Role::IscEnable, 0.2);
    VERIFY_CONTAINS(d.violations.text(), "left Run-Test/Idle 200 us after ISC_ENABLE, which takes 1000 us");
    VERIFY_CONTAINS(d.cells.state(d.now), "not programmed, user code 0xffffffff");
  }

  void aMissingWaitLeavesItHalfDone() {
    Driver d(rows());
    d.go(Role::IscEnable, 1);
    d.program(0, 0x00);
    d.go(Role::IscErase, 20);
    VERIFY_CONTAINS(d.violations.text(), "left Run-Test/Idle 20000 us after ISC_ERASE, which takes 100000 us");
    d.go(Role::IscDone, 3);
    VERIFY_CONTAINS(d.cells.state(d.now), "not programmed");  // what went wrong is remembered until ISC_ENABLE
    sim::IscModel row = rows();
    row.program = sim::IscModel::Program::Row;
    Driver early(row);
    early.go(Role::IscEnable, 1);
    early.go(Role::IscProgram, 3);
    VERIFY_CONTAINS(early.violations.text(), "Run-Test/Idle was passed with ISC_PROGRAM before its data was there");
  }

  void aRowThatWasNotErasedIsNotTakenWhole() {
    Driver d(rows());
    d.go(Role::IscEnable, 1);
    d.program(3, 0x0F);
    d.program(3, 0xF0);
    QCOMPARE(d.row(3), 0x00);
    VERIFY_CONTAINS(d.violations.text(), "row 3 is programmed and was not erased");
  }

  void powerInTheMiddleLeavesHalf() {
    Driver d(rows());
    d.go(Role::IscEnable, 1);
    d.program(0, 0x00);
    d.program(1, 0x00);
    d.cells.instruction(Role::IscErase, d.now);
    d.cells.enterIdle(Role::IscErase, d.now);
    d.cells.powerLost(d.now + 40 * kMs);
    QCOMPARE(d.row(0), 0xFF);
    QCOMPARE(d.row(1), 0x00);
  }

  void aSecuredPartGivesZerosUntilItIsErased() {
    Driver d(rows());
    d.go(Role::IscEnable, 1);
    d.program(0, 0x77);
    d.go(Role::IscSecurity, 3);
    d.go(Role::IscAddress, 0.001, {false, false});
    d.go(Role::IscRead, 1);
    QCOMPARE(d.cells.capture(Role::IscRead, d.now), std::vector<bool>(8, false));
    d.program(1, 0x00);
    QCOMPARE(d.row(1), 0xFF);
    d.go(Role::IscErase, 100);
    QVERIFY(!d.cells.secured());
  }

  void aFabricStartsByItselfFromTheFirstGoodDesign() {
    FabricDriver f;
    Bytes bad = bitstream(0x1F40AFFD, 1, false, 100);
    bad[60] ^= 1;
    f.put(0, bad);
    f.put(0x1000, bitstream(0x2F40AFFD, 2, false, 100));  // another version of the same part
    f.fabric->powerUp(f.now);
    QCOMPARE(f.status() & 1u, 1u);
    f.now += 10 * kMs;
    COMPARE_TEXT(f.fabric->state(f.now), "runs 0x00000002 from flash");
    QCOMPARE(f.status(), 0xE4u);  // synced, loaded, running, from flash
    f.fabric->powerLost(f.now);
    COMPARE_TEXT(f.fabric->state(f.now), "no design");
  }

  void aFabricTakesABitstreamAtAnyBit() {
    for (const int skip : {0, 1, 5, 17}) {
      FabricDriver f;
      f.clear();
      f.load(bitstream(0x1F40AFFD, 0xCAFE, true, 200), skip);
      QCOMPARE(f.status(), 0x26u);  // clear, synced, loaded
      f.start(15);
      QVERIFY(!f.fabric->hasBridge(f.now));
      f.start(16);
      QVERIFY(f.fabric->hasBridge(f.now));
      COMPARE_TEXT(f.fabric->state(f.now), "runs 0x0000cafe from the TAP, a bridge");
      COMPARE_TEXT(f.violations.text(), "");
    }
  }

  void whatIsWrongWithABitstreamIsAStatusBit() {
    FabricDriver f;
    f.clear();
    f.load(bitstream(0x1F41AFFD, 1, false, 50));
    QCOMPARE(f.status() & 0x38u, 0x08u);  // wrong part
    f.start(32);
    COMPARE_TEXT(f.fabric->state(f.now), "wrong part");
    Bytes damaged = bitstream(0x1F40AFFD, 1, false, 50);
    damaged[70] ^= 0x80;
    f.clear();
    f.load(damaged);
    QCOMPARE(f.status() & 0x38u, 0x10u);  // CRC error
    f.clear();
    Bytes whole = bitstream(0x1F40AFFD, 1, false, 50);
    f.load({whole.begin(), whole.end() - 1});
    QCOMPARE(f.status() & 0x38u, 0u);  // still waiting for its end
    f.clear();
    whole.push_back(0x55);
    f.load(whole);
    QCOMPARE(f.status() & 0x138u, 0x120u);  // loaded, and bytes behind the end
  }

  void aFabricThatIsNotClearTakesNothing() {
    FabricDriver f;
    f.load(bitstream(0x1F40AFFD, 1, false, 50));
    VERIFY_CONTAINS(f.violations.text(), "fabric: data is loaded into a fabric that was not cleared");
    f.clear(0.5);
    f.load(bitstream(0x1F40AFFD, 1, false, 50));
    VERIFY_CONTAINS(f.violations.text(), "data is loaded while the fabric is still being cleared");
    f.now += 10 * kMs;
    QCOMPARE(f.status() & 0x20u, 0u);
  }

  void captureIrTellsToo() {
    sim::FabricModel model;
    model.captureTells = true;
    FabricDriver f(model);
    f.clear();
    QCOMPARE(f.fabric->captureInstruction(0x11, f.now), 0x19ull);
    f.load(bitstream(0x1F40AFFD, 1, false, 8));
    f.start(16);
    QCOMPARE(f.fabric->captureInstruction(0x11, f.now), 0x15ull);
  }

  void badDescriptionsSayWhere() {
    const auto problem = [](const char* keys) {
      const std::string text =
          std::string(R"({"imprimo_bench": 1, "chain": [{"name": "p", "ir_length": 4, "instructions": [], )") + keys +
          "}]}";
      return errorOf([&] { sim::parseBench(text, "b.json"); });
    };
    COMPARE_TEXT(problem(R"("fabric": {"flash": "none"})"),
                 "b.json:1: chain[0].fabric.flash: the bench has no flash of that name");
    COMPARE_TEXT(problem(R"("isc": {"rows": 0, "width": 4})"), "b.json:1: chain[0].isc.rows: should be 1 to 1048576");
    COMPARE_TEXT(problem(R"("isc": {"rows": 4, "width": 4, "program": "all"})"),
                 "b.json:1: chain[0].isc.program: should be latch, row or array");
    COMPARE_TEXT(problem(R"("isc": {"rows": 4, "width": 4}, "fabric": {})"),
                 "b.json:1: chain[0].isc: a part has a fabric or cells, not both");
  }
};
IMPRIMO_TEST(ConfigurableTest);
#include "tst_configurable.moc"
