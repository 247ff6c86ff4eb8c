// SPDX-License-Identifier: GPL-3.0-or-later
//
// Parts of many kinds, as their data sheets would have them: every size, way of addressing, sector map and speed, with
// and without a table of their own.
#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/flash/part_card.h"
#include "core/run/runner.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::flash;
using namespace imprimo::test;

namespace {

constexpr const char* kTimes =
    R"(, "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";

World worldOf(const std::string& flash, const std::string& card = {}) {
  WorldOptions options;
  options.flash = flash + (flash.find("times") == std::string::npos ? kTimes : "");
  if (!card.empty()) options.memory = R"(, "part": "card.json")";
  options.files["card.json"] = card;
  return World(options);
}

std::string cardText(const std::string& size, const std::string& more = {}) {
  return fmt::format(R"({{"imprimo_part": 1, "name": "Quill", "id": "0x7E4014", "size": "{}", "page": 256,
 "program": {{"typical": 0.0004, "longest": 0.003}},
 "erase": [{{"size": "4K", "opcode": "0x20", "opcode4": "0x21", "typical": 0.002, "longest": 0.02}},
           {{"size": "64K", "opcode": "0xD8", "opcode4": "0xDC", "typical": 0.004, "longest": 0.04}}]{}}})",
                     size, more);
}

/// Old data around three places of the part, an image over parts of it; everything has to be as it should afterwards.
std::string programmed(World& world, std::uint64_t size, unsigned seed) {
  std::mt19937 random(seed);
  plan::Wanted wanted = world.wanted(plan::Task::Program);
  std::vector<std::pair<std::uint64_t, Bytes>> expected;
  for (const std::uint64_t at : {std::uint64_t{0}, size / 2 - 0x3000, size - 0x8000}) {
    Bytes cells = randomBytes(random, 0x8000);
    world.fill(at, cells);
    const std::size_t from = below(random, 0x3000);
    const Bytes fresh = randomBytes(random, 0x1000 + below(random, 0x3000));
    wanted.image.write(at + from, fresh);
    std::copy(fresh.begin(), fresh.end(), cells.begin() + static_cast<std::ptrdiff_t>(from));
    expected.emplace_back(at, std::move(cells));
  }
  const run::Record record = world.carryOut(wanted);
  if (record.outcome != run::Outcome::Verified) return record.message;
  for (const auto& [at, cells] : expected) {
    if (world.cells(at, cells.size()) != cells) return fmt::format("0x{:x} holds something else", at);
  }
  return world.sim().violations();
}

}  // namespace

class DevicesTest : public QObject {
  Q_OBJECT
 private slots:
  void everySizeAndWayOfAddressing_data() {
    QTest::addColumn<QString>("flash");
    QTest::addColumn<qulonglong>("size");
    const auto row = [](const char* name, const char* flash, std::uint64_t size) {
      QTest::newRow(name) << QString(flash) << static_cast<qulonglong>(size);
    };
    row("512K", R"("size": "512K")", 512 << 10);
    row("first edition", R"("size": "512K", "sfdp": "first-edition")", 512 << 10);
    row("bytewise",
        R"("size": "512K", "page": 1, "sfdp": "first-edition", "times": {"page": [0.00001, 0.00004], "4K": [0.002, 0.02]})",
        512 << 10);
    row("4M newest", R"("size": "4M", "sfdp": "newest", "second_status": true)", 4 << 20);
    row("16M", R"("size": "16M")", 16 << 20);
    row("32M by command", R"("size": "32M")", 32 << 20);
    row("32M by enable and command", R"("size": "32M", "four_byte": "write-enable-command")", 32 << 20);
    row("64M by own commands", R"("size": "64M", "sfdp": "newest", "four_byte": "own-commands")", 64 << 20);
    row("64M by a register", R"("size": "64M", "four_byte": "segment-register")", 64 << 20);
    row("64M by the bank register", R"("size": "64M", "four_byte": "bank-register")", 64 << 20);
    row("128M always", R"("size": "128M", "four_byte": "always")", 128 << 20);
    row("1M that takes only four address bytes", R"("size": "1M", "four_byte": "always")", 1 << 20);
    row("16M that takes only four address bytes", R"("size": "16M", "four_byte": "always")", 16 << 20);
    row("one sector map that needs no question",
        R"("size": "4M", "sfdp": "newest", "one_map": true, "regions": [{"from": "0", "erase": ["4K"]}, {"from": "64K", "erase": ["64K"]}])",
        4 << 20);
    row("32M that does not tell", R"("size": "32M", "tells_four_byte": false)", 32 << 20);
    row("32M that does not tell, with enable",
        R"("size": "32M", "four_byte": "write-enable-command", "tells_four_byte": false)", 32 << 20);
    row("small blocks at the bottom",
        R"("size": "4M", "sfdp": "newest", "regions": [{"from": "0", "erase": ["4K"]}, {"from": "32K", "erase": ["32K", "64K"]}, {"from": "64K", "erase": ["64K"]}])",
        4 << 20);
    row("small blocks at the top",
        R"("size": "4M", "sfdp": "newest", "regions": [{"from": "0", "erase": ["64K"]}, {"from": "4128768", "erase": ["64K"]}, {"from": "4161536", "erase": ["4K", "32K"]}])",
        4 << 20);
    row("microseconds", R"("size": "512K", "times": {"page": [0.0004, 0.003], "4K": [0.045, 0.4]}, "pace": 0.001)",
        512 << 10);
    row("seconds",
        R"("size": "512K", "times": {"page": [0.003, 0.3], "4K": [0.9, 9], "32K": [1.5, 20], "64K": [2, 30]}, "pace": 3)",
        512 << 10);
    row("asleep", R"("size": "1M", "asleep": true)", 1 << 20);
    row("far bank", R"("size": "1M", "bank": 9)", 1 << 20);
  }
  void everySizeAndWayOfAddressing() {
    QFETCH(QString, flash);
    QFETCH(qulonglong, size);
    World world = worldOf(flash.toStdString());
    if (flash.contains("tells_four_byte")) {
      // Something has to be there by which the ways can be told apart.
      std::mt19937 random(3);
      for (std::uint64_t at = 0; at < 1u << 24; at += 0x40000) world.fill(at, randomBytes(random, 0x6000));
    }
    COMPARE_TEXT(programmed(world, size, 31), "");
  }

  void withoutATableByCard() {
    World small = worldOf(R"("size": "1M", "sfdp": "none")", cardText("1M"));
    COMPARE_TEXT(programmed(small, 1 << 20, 32), "");
    World large = worldOf(R"("size": "32M", "sfdp": "none", "four_byte": "own-commands")",
                          cardText("32M", R"(, "four_byte": "own-commands")"));
    COMPARE_TEXT(programmed(large, 32 << 20, 33), "");
    World four =
        worldOf(R"("size": "1M", "sfdp": "none", "four_byte": "always")", cardText("1M", R"(, "four_byte": "always")"));
    COMPARE_TEXT(programmed(four, 1 << 20, 35), "");
    World mixed = worldOf(
        R"("size": "1M", "sfdp": "none", "regions": [{"from": "0", "erase": ["64K"]}, {"from": "960K", "erase": ["4K"]}])",
        cardText("1M", R"(, "regions": [{"from": "0", "erase": ["64K"]}, {"from": "960K", "erase": ["4K"]}])"));
    COMPARE_TEXT(programmed(mixed, 1 << 20, 34), "");
  }

  void theUpperPartIsRefusedWhereNothingProvesTheWay() {
    World world = worldOf(R"("size": "32M", "tells_four_byte": false)");  // blank: nothing can be told apart
    plan::Wanted wanted = world.wanted(plan::Task::Program);
    wanted.image.write((16u << 20) - 2, Bytes{1, 2, 3});
    const run::Record refused = world.carryOut(wanted);
    QCOMPARE(refused.outcome, run::Outcome::Refused);
    VERIFY_CONTAINS(refused.message, "reaches past the lower 16 MiB");
    VERIFY_CONTAINS(refused.message, "four_byte");
    QVERIFY(!refused.changed);
    wanted.image = {};
    wanted.image.write(0x1000, Bytes{1, 2, 3});
    QCOMPARE(world.carryOut(wanted).outcome, run::Outcome::Verified);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aPartWithoutTableNeedsACard() {
    World world = worldOf(R"("size": "1M", "sfdp": "none")");
    const run::Record record = world.carryOut(world.wanted(plan::Task::Read));
    QCOMPARE(record.outcome, run::Outcome::Refused);
    QCOMPARE(record.error, std::optional{ErrorKind::UnknownFlash});
    VERIFY_CONTAINS(record.message, "has no parameter table (SFDP) and the sheet has no part card");
  }

  void aCardThatContradictsThePart() {
    World otherId = worldOf(R"("size": "1M", "id": "0x7E4099")", cardText("1M"));
    VERIFY_CONTAINS(errorOf([&] { otherId.bench().at("boot-flash").identify(); }),
                    "should be Quill (ID 0x7e4014, bank 1), found ID 0x7e4099");
    World otherSize = worldOf(R"("size": "1M")", cardText("2M"));
    VERIFY_CONTAINS(errorOf([&] { otherSize.bench().at("boot-flash").identify(); }),
                    "the card of boot-flash says 2 MiB, its own table 1 MiB");
    World sure = worldOf(R"("size": "1M")", cardText("512K", R"(, "table_is_wrong": true)"));
    const FlashIdentity& identity = *flashOf(sure.bench().at("boot-flash").identify());
    QCOMPARE(identity.geometry.size, 512u << 10);
    VERIFY_CONTAINS(identity.remarks.at(0), "the card says that the table is wrong");
  }

  void whatADeviceSaysOfItself() {
    World world = worldOf(R"("size": "32M", "sfdp": "newest", "four_byte": "own-commands", "second_status": true)");
    const FlashIdentity& identity = *flashOf(world.bench().at("boot-flash").identify());
    QCOMPARE(identity.table->tables.size(), 2u);
    QCOMPARE(identity.table->minor, 10u);
    QCOMPARE(identity.facts.deepPowerDown->leave, 0xAB);
    QCOMPARE(identity.facts.quadEnable, std::optional{5u});
    QVERIFY(identity.facts.softResetBy66And99());
    QVERIFY(!identity.facts.suspend);
    QCOMPARE(identity.registers.size(), 2u);
    std::string words;
    for (const SfdpTable& table : identity.table->tables) {
      for (const SfdpField& f : fieldsOf(table))
        words += fmt::format("{}.{} {}: {}\n", tableName(table.id), f.dword, f.name, f.meaning);
    }
    for (const char* line :
         {"basic table.2 size: 32 MiB\n", "basic table.8 erase type 1: 4 KiB\n", "basic table.8 its command: 0x20\n",
          "basic table.11 page: 256 bytes\n", "basic table.14 leave it: 0xAB\n",
          "basic table.15 quad enable bit: bit 1 of status 2 (35), written by 01 with two bytes\n",
          "basic table.16 soft reset: 66 then 99\n", "basic table.16 into 4-byte addresses: own commands\n",
          "4-byte commands.2 erase type 3 command: 0xDC\n"})
      VERIFY_CONTAINS(words, line);
  }

  void aUniqueId() {
    World world = worldOf(R"("size": "1M", "unique_id": "0x0123456789ABCDEF")",
                          cardText("1M", R"(, "unique_id": {"command": "0x4B", "dummy": 4, "bytes": 8})"));
    QCOMPARE(world.bench().at("boot-flash").identify().uniqueId, (Bytes{1, 0x23, 0x45, 0x67, 0x89, 0xAB, 0xCD, 0xEF}));
  }
};
IMPRIMO_TEST(DevicesTest);

namespace {

constexpr const char* kProtection = R"(, "registers": [
   {"name": "status 1", "read": "0x05", "write": "0x01", "together": ["status 1", "status 2"], "bits": [
     {"bits": "0", "name": "busy", "read_only": true}, {"bits": "1", "name": "write enable", "read_only": true},
     {"bits": "4..2", "name": "block protection"}, {"bits": "7", "name": "lock"}]},
   {"name": "status 2", "read": "0x35", "write": "0x01", "together": ["status 1", "status 2"], "bits": [
     {"bits": "0", "name": "none", "read_only": true}, {"bits": "2", "name": "none 2", "read_only": true},
     {"bits": "5..4", "name": "none 3", "read_only": true}, {"bits": "7", "name": "none 4", "read_only": true},
     {"bits": "3", "name": "security lock", "once": true}]}],
 "protection": {"register": "status 1", "bits": "4..2", "levels": [
   {"value": 0, "ranges": []}, {"value": 1, "ranges": ["0xFC000+16K"]}, {"value": 4, "ranges": ["0xE0000+128K"]},
   {"value": 7, "ranges": ["0+1M"]}]})";

World protectedWorld(const char* more = "") {
  return worldOf(R"("size": "1M", "second_status": true, "status": "0x90")" + std::string(more),
                 cardText("1M", kProtection));
}

plan::Wanted over(World& world, std::uint64_t at) {
  world.fill(at, Bytes(300, 0x00));
  plan::Wanted wanted = world.wanted(plan::Task::Program);
  wanted.image.write(at, Bytes(300, 0x5A));
  return wanted;
}

}  // namespace

class RegistersTest : public QObject {
  Q_OBJECT
 private slots:
  void readAndWrittenTogetherWithReadBack() {
    World world = protectedWorld();
    world.bench().at("boot-flash").identify();
    QCOMPARE(world.bench().at("boot-flash").registers().read(), (std::vector<std::uint8_t>{0x90, 0x00}));
    world.bench().at("boot-flash").registers().write(1, 0x42);
    QCOMPARE(world.bench().at("boot-flash").lastRegisters(), (std::vector<std::uint8_t>{0x90, 0x42}));
    world.bench().at("boot-flash").registers().write(0, 0x84);
    QCOMPARE(world.bench().at("boot-flash").lastRegisters(), (std::vector<std::uint8_t>{0x84, 0x42}));
    // What is set once cannot be taken back, and that is said.
    world.bench().at("boot-flash").registers().write(1, 0x4A);
    VERIFY_CONTAINS(errorOf([&] { world.bench().at("boot-flash").registers().write(1, 0x42); }),
                    "status 2 should hold 0x42 (01000010) and holds 0x4A (01001010): the part did not take it");
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void theWriteProtectPinHoldsARegister() {
    World world = protectedWorld(R"(, "protect_pin_low": true)");
    world.bench().at("boot-flash").identify();
    const auto write = [&] { world.bench().at("boot-flash").registers().write(0, 0x00); };
    VERIFY_CONTAINS(errorOf(write), "status 1 should hold 0x00");
    QCOMPARE(kindOf(write), std::optional{ErrorKind::Refused});
    const run::Record record = world.carryOut(over(world, 0xF0000));
    QCOMPARE(record.outcome, run::Outcome::Refused);
    VERIFY_CONTAINS(record.message, "WP");
    QVERIFY(!record.changed);
    QCOMPARE(world.cells(0xF0000, 4), Bytes(4, 0x00));
  }

  void protectionIsClearedForTheRunAndPutBack() {
    World world = protectedWorld();
    struct Kinds : run::RunObserver {
      void planned(const plan::PlanPtr& plan) override { last = *plan; }
      plan::Plan last;
    } kinds;
    const run::Record record = world.carryOut(over(world, 0xF0000), {}, &kinds);
    QVERIFY2(record.outcome == run::Outcome::Verified, record.message.c_str());
    const plan::Step* clear = kinds.last.find(plan::StepKind::Unprotect);
    const plan::Step* restore = kinds.last.find(plan::StepKind::Protect);
    QVERIFY(clear != nullptr && restore != nullptr);
    QCOMPARE(clear->field, 1);  // the largest protection that leaves the block open
    QCOMPARE(restore->field, 4);
    VERIFY_CONTAINS(clear->why, "boot-flash protects 0x0E0000 – 0x0FFFFF by its status 1, bits 4..2 = 4");
    QCOMPARE(world.flash().status(world.sim().board().now()), 0x90);
    QCOMPARE(world.cells(0xF0000, 300), Bytes(300, 0x5A));
    COMPARE_TEXT(world.sim().violations(), "");
    // What is not protected needs no such step.
    world.carryOut(over(world, 0x10000), {}, &kinds);
    QVERIFY(kinds.last.find(plan::StepKind::Unprotect) == nullptr);
  }

  void protectionMayBeLeftAlone() {
    World world = protectedWorld();
    plan::Wanted wanted = over(world, 0xF0000);
    wanted.leaveProtection = true;
    const run::Record record = world.carryOut(wanted);
    QCOMPARE(record.outcome, run::Outcome::Refused);
    VERIFY_CONTAINS(record.message, "and 0x0F0000 – 0x0F0FFF is to be changed");
    QCOMPARE(world.cells(0xF0000, 4), Bytes(4, 0x00));
  }

  void aFailureInTheMiddlePutsProtectionBack() {
    World world = protectedWorld(R"(, "faults": [{"kind": "stuck-low", "at": "0xF0010", "mask": 255}])");
    const run::Record record = world.carryOut(over(world, 0xF0000));
    QCOMPARE(record.error, std::optional{ErrorKind::NotErased});
    QCOMPARE(world.flash().status(world.sim().board().now()), 0x90);
  }
};
IMPRIMO_TEST(RegistersTest);
#include "tst_memories.moc"
