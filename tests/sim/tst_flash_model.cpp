// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/sfdp_table.h"
#include "sim/spi_flash.h"
#include "tests/sim/flash_chip.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::sim;
using namespace imprimo::test;

class FlashModelTest : public QObject {
  Q_OBJECT
 private slots:
  void identifiesItself() {
    QCOMPARE(Device().send({0x9F}, 4), (Bytes{0x7E, 0x40, 0x17, 0x00}));
    FlashModel m;
    m.bank = 3;
    QCOMPARE(Device(m).send({0x9F}, 5), (Bytes{0x7F, 0x7F, 0x7E, 0x40, 0x17}));
    QCOMPARE(Device().send({0x5A, 0, 0, 0, 0}, 4), (Bytes{'S', 'F', 'D', 'P'}));
    m.sfdp = FlashModel::Sfdp::None;
    QCOMPARE(Device(m).send({0x5A, 0, 0, 0, 0}, 4), Bytes(4, 0xFF));
  }

  void programmingOnlyClearsBitsAndWrapsInThePage() {
    Device p;
    p.program(0x1FE, {0x0F, 0xF0, 0x33});
    QCOMPARE(p.read(0x1FE, 2), (Bytes{0x0F, 0xF0}));
    QCOMPARE(p.read(0x100, 1), (Bytes{0x33}));
    VERIFY_CONTAINS(p.violations.text(), "wraps in its page");
    p.program(0x1FE, {0xF1});
    QCOMPARE(p.read(0x1FE, 1), (Bytes{0x01}));
    VERIFY_CONTAINS(p.violations.text(), "program 0xF1 over 0x0F at 0x0001FE");
    QCOMPARE(p.violations.count(), 2u);
    p.program(0x1FE, {0xFF});  // legal padding
    QCOMPARE(p.violations.count(), 2u);
  }

  void moreThanAPageKeepsTheLastBytes() {
    Device p;
    Bytes data(300);
    for (std::size_t i = 0; i < data.size(); ++i) data[i] = static_cast<std::uint8_t>(i);
    p.program(0, data);
    QCOMPARE(p.read(0, 1)[0], data[256]);
    QCOMPARE(p.read(44, 1)[0], data[44]);
  }

  void writeEnableIsNeededAndUsedUp() {
    Device p;
    p.send({2, 0, 0, 0, 0x11});
    VERIFY_CONTAINS(p.violations.text(), "without write enable");
    QCOMPARE(p.read(0, 1), (Bytes{0xFF}));
    p.send({6});
    QCOMPARE(p.send({5}, 1), (Bytes{0x02}));
    p.send({4});
    QCOMPARE(p.send({5}, 1), (Bytes{0x00}));
    p.program(0, {0x11});
    QCOMPARE(p.send({5}, 1), (Bytes{0x00}));
  }

  void isBusyForItsTimeAndIgnoresCommandsMeanwhile() {
    Device p;
    p.program(0x3010, {0x00});
    p.send({6});
    p.send({0x20, 0, 0x30, 0});
    QCOMPARE(p.send({5}, 1), (Bytes{0x03}));
    p.send({6});
    QCOMPARE(p.read(0x3010, 1), (Bytes{0xFF}));  // not driven, not read
    QCOMPARE(p.violations.count(), 2u);
    p.wait(0.045);
    QCOMPARE(p.send({5}, 1), (Bytes{0x00}));
    COMPARE_TEXT(p.flash.journal(), "program 1 0x003010\nerase 4K 0x003000\n");
  }

  void erasesBlocksOfAllSizes() {
    Device p;
    for (const auto& [opcode, size] : {std::pair{0x20, 0x1000}, {0x52, 0x8000}, {0xD8, 0x10000}}) {
      p.flash.cells().fill(0x10000, 0x30000, 0);
      p.send({6});
      p.send({static_cast<std::uint8_t>(opcode), 0x02, 0x00, 0x10});
      p.wait(3);
      QCOMPARE(p.read(0x20000, 1)[0], 0xFF);
      QCOMPARE(p.read(0x20000 + static_cast<std::uint32_t>(size) - 1, 1)[0], 0xFF);
      QCOMPARE(p.read(0x1FFFF, 1)[0], 0x00);
      if (size != 0x10000) QCOMPARE(p.read(0x20000 + static_cast<std::uint32_t>(size), 1)[0], 0x00);
    }
    p.send({6});
    p.send({0xC7});
    p.wait(21);
    QCOMPARE(p.read(0x1FFFF, 1)[0], 0xFF);
  }

  void cutOffCommandsDoNothing() {
    Device p;
    p.flash.cells().fill(0, 0x1000, 0);
    p.send({6});
    p.send({0x20, 0, 0});
    p.send({0x20, 0, 0, 0}, 0, 3);
    QCOMPARE(p.read(0, 1)[0], 0x00);
    QCOMPARE(p.violations.count(), 2u);
  }

  void blockProtectionProtects() {
    Device p;
    p.send({6});
    p.send({1, 0x04});  // BP0: the upper 1/64
    p.wait(0.01);
    p.program(0x7E0000, {0x00});
    QCOMPARE(p.read(0x7E0000, 1)[0], 0xFF);
    p.program(0x7DFFFF, {0x00});
    QCOMPARE(p.read(0x7DFFFF, 1)[0], 0x00);
    p.send({6});
    p.send({0xC7});
    p.wait(1);
    QCOMPARE(p.read(0x7DFFFF, 1)[0], 0x00);  // no chip erase while anything is protected
    COMPARE_TEXT(p.violations.text(), "");
  }

  void largePartsTakeFourByteAddressesWhenTold() {
    FlashModel m;
    m.size = 32u << 20;
    Device p(m);
    p.flash.cells().set(0x1000010, 0x42);
    QCOMPARE(p.read(0x10, 1)[0], 0xFF);
    p.send({0xB7});
    QCOMPARE(p.send({3, 1, 0, 0, 0x10}, 1), (Bytes{0x42}));
    p.send({0xE9});
    QCOMPARE(p.read(0x10, 1)[0], 0xFF);
    p.send({0xB7});
    p.send({0x66});
    p.send({0x99});
    QCOMPARE(p.read(0x10, 1)[0], 0xFF);
  }

  void theTableIsAsTheStandardWritesIt() {
    const Bytes table = sfdpTable(FlashModel{});
    const auto dword = [&](std::size_t n) { return loadLe32(&table[0x30 + 4 * (n - 1)]); };
    QCOMPARE(loadLe32(&table[8]), 0x10010600u);  // basic table, revision 1.6, 16 DWORDs
    QCOMPARE(dword(1), 0xFF8020E5u);
    QCOMPARE(dword(2), 0x03FFFFFFu);
    QCOMPARE(dword(8), 0x520F200Cu);
    QCOMPARE(dword(9), 0x0000D810u);
    QCOMPARE(dword(11) >> 4 & 0xF, 8u);
  }
};
IMPRIMO_TEST(FlashModelTest);
#include "tst_flash_model.moc"
