// SPDX-License-Identifier: GPL-3.0-or-later
//
// What not every flash has: ways to higher addresses, sectors of several sizes, a second register, sleep, and what a
// lost supply leaves behind. From data sheets and JESD216F, without any of the program's own code.
#include "sim/sfdp_table.h"
#include "sim/spi_flash.h"
#include "tests/sim/flash_chip.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::sim;
using namespace imprimo::test;

namespace {

FlashModel large(FlashModel::FourByte way) {
  FlashModel m;
  m.size = 64u << 20;
  m.fourByte = way;
  return m;
}

constexpr std::uint64_t kHigh = 0x2345678;

/// Whether these commands, and then a read of so many address bytes, reach the byte at kHigh.
bool reaches(Device& device, const std::vector<Bytes>& enter, const Bytes& read) {
  device.flash.cells().set(kHigh, 0x5A);
  for (const Bytes& command : enter) device.send(command);
  return device.send(read, 1) == Bytes{0x5A};
}

const Bytes kThree{0x03, 0x34, 0x56, 0x78}, kFour{0x03, 0x02, 0x34, 0x56, 0x78}, kOwn{0x13, 0x02, 0x34, 0x56, 0x78};

}  // namespace

class FlashKindsTest : public QObject {
  Q_OBJECT
 private slots:
  void everyWayToHigherAddressesAndNoOther() {
    using FourByte = FlashModel::FourByte;
    struct Case {
      FourByte way;
      std::vector<Bytes> enter;
      Bytes read;
    };
    const std::vector<Case> cases{{FourByte::Command, {{0xB7}}, kFour},
                                  {FourByte::EnableThenCommand, {{0x06}, {0xB7}}, kFour},
                                  {FourByte::OwnCommands, {}, kOwn},
                                  {FourByte::SegmentRegister, {{0x06}, {0xC5, 0x02}}, kThree},
                                  {FourByte::BankRegister, {{0x17, 0x80}}, kFour},
                                  {FourByte::Always, {}, kFour}};
    for (const Case& right : cases) {
      for (const Case& tried : cases) {
        Device device(large(right.way));
        const bool same = right.way == tried.way;
        // A part that takes B7 alone takes it behind a write enable, too.
        const bool tolerated = right.way == FourByte::Command && tried.way == FourByte::EnableThenCommand;
        const bool known = tried.way == FourByte::OwnCommands;  // reading by 13 is known to every one of these parts
        QCOMPARE(reaches(device, tried.enter, tried.read),
                 same || tolerated || known || (right.way == FourByte::Always && tried.read == kFour));
      }
    }
  }

  void leavingGoesBackToThreeBytes() {
    Device device(large(FlashModel::FourByte::EnableThenCommand));
    device.flash.cells().set(0x345678, 0x77);
    QVERIFY(reaches(device, {{0x06}, {0xB7}}, kFour));
    device.send({0xE9});  // without an enable it stays
    QCOMPARE(device.send(kFour, 1), Bytes{0x5A});
    device.send({0x06});
    device.send({0xE9});
    QCOMPARE(device.send(kThree, 1), Bytes{0x77});
  }

  void anEraseReachesOnlyWhatItsRegionAllows() {
    FlashModel m;
    m.size = 1 << 20;
    m.regions = {{0, 1}, {32 << 10, 4}, {64 << 10, 6}};
    Device device(m);
    for (std::uint64_t i = 0; i < 3 * 65536; ++i) device.flash.cells().set(i, 0x00);
    const auto erase = [&](std::uint8_t opcode, std::uint32_t at) {
      device.send({0x06});
      device.send({opcode, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8),
                   static_cast<std::uint8_t>(at)});
      device.wait(1);
    };
    erase(0x20, 0x1000);
    erase(0xD8, 0x9000);  // only the upper half of its 64 KiB
    erase(0x52, 0x18000);
    COMPARE_TEXT(device.flash.journal(), "erase 4K 0x001000\nerase 32K 0x008000\nerase 32K 0x018000\n");
    QCOMPARE(device.flash.cells().get(0x0FFF), 0x00);
    QCOMPARE(device.flash.cells().get(0x7FFF), 0x00);
    QCOMPARE(device.flash.cells().get(0x8000), 0xFF);
    COMPARE_TEXT(device.violations.text(), "");
    erase(0x20, 0x20000);
    VERIFY_CONTAINS(device.violations.text(), "erase 4K at 0x020000, where it does not work");
  }

  void theSecondRegisterAndItsLock() {
    FlashModel m;
    m.twoRegisters = true;
    Device device(m);
    const auto write = [&](const Bytes& data) {
      device.send({0x06});
      Bytes command{0x01};
      command.insert(command.end(), data.begin(), data.end());
      device.send(command);
      device.wait(0.01);
    };
    write({0x1C, 0x42});
    QCOMPARE(device.send({0x05}, 1), Bytes{0x1C});
    QCOMPARE(device.send({0x35}, 1), Bytes{0x42});
    write({0x00});  // one byte alone clears the other register
    QCOMPARE(device.send({0x35}, 1), Bytes{0x00});
    write({0x00, 0x08});
    write({0x00, 0x00});
    QCOMPARE(device.send({0x35}, 1), Bytes{0x08});
  }

  void theWriteProtectPin() {
    FlashModel m;
    m.protectPinLow = true;
    Device device(m);
    device.send({0x06});
    device.send({0x01, 0x80});
    device.wait(0.01);
    device.send({0x06});
    device.send({0x01, 0x00});
    device.wait(0.01);
    QCOMPARE(device.send({0x05}, 1), Bytes{0x80});
  }

  void sleepHearsOnlyTheWayOutOfIt() {
    FlashModel m;
    m.asleep = true;
    Device device(m);
    QCOMPARE(device.send({0x9F}, 3), Bytes(3, 0xFF));
    device.send({0xAB});
    device.wait(50e-6);
    QCOMPARE(device.send({0x9F}, 3), (Bytes{0x7E, 0x40, 0x17}));
    COMPARE_TEXT(device.violations.text(), "");
    device.send({0xB9});
    QCOMPARE(device.send({0x9F}, 1), Bytes{0xFF});
    device.send({0xAB});
    device.send({0x9F}, 1);
    VERIFY_CONTAINS(device.violations.text(), "while it wakes up");
  }

  void aLostSupplyLeavesAnEraseHalfDone() {
    Device device(FlashModel{});
    for (std::uint64_t i = 0x1000; i < 0x3000; ++i) device.flash.cells().set(i, 0x00);
    device.send({0x06});
    device.send({0x20, 0x00, 0x10, 0x00});
    device.flash.powerLost(device.now);
    int blank = 0, old = 0;
    for (std::uint64_t i = 0x1000; i < 0x2000; ++i) {
      blank += device.flash.cells().get(i) == 0xFF;
      old += device.flash.cells().get(i) == 0x00;
    }
    QVERIFY(blank < 0x1000 && old < 0x1000);
    QCOMPARE(device.flash.cells().get(0x2000), 0x00);  // the neighbour is as it was
    QCOMPARE(device.flash.status(device.now), 0x00);
  }

  void whatBreaksOnceBreaksOnce() {
    Device device(FlashModel{});
    device.flash.ignoreCommand(2);
    device.send({0x06});
    device.send({0x04});  // ignored: the enable stays
    QCOMPARE(device.send({0x05}, 1), Bytes{0x02});
    device.flash.corruptWritten(2, 0x81);
    device.send({0x02, 0x00, 0x00, 0x00, 0xF0, 0xF0, 0xF0});
    device.wait(0.01);
    QCOMPARE(device.send({0x03, 0x00, 0x00, 0x00}, 3), (Bytes{0xF0, 0x71, 0xF0}));
    device.flash.corruptRead(device.flash.bytesRead() + 3 + 2, 0x0F);
    QCOMPARE(device.send({0x03, 0x00, 0x00, 0x00}, 3), (Bytes{0xF0, 0x7E, 0xF0}));
  }
};
IMPRIMO_TEST(FlashKindsTest);
#include "tst_flash_kinds.moc"
