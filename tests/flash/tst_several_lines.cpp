// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a part's table and its card say of commands over several lines, and which of them are chosen.
#include "core/flash/part_card.h"
#include "core/flash/sfdp.h"
#include "core/flash/wide_way.h"
#include "sim/sfdp_table.h"
#include "sim/spi_flash.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::flash;
using namespace imprimo::test;

namespace {

NorCommands ofTable(const sim::FlashModel& model) {
  const Bytes space = sim::sfdpTable(model);
  const auto sfdp = readSfdp({[&](std::uint32_t at, std::size_t count) {
                                Bytes bytes(count, 0xFF);
                                for (std::size_t i = 0; i < count && at + i < space.size(); ++i)
                                  bytes[i] = space[at + i];
                                return bytes;
                              },
                              [](std::uint8_t, unsigned, std::uint32_t, unsigned) { return std::uint8_t{0x08}; }});
  return sfdp->commands;
}

}  // namespace

class SeveralLinesTest : public QObject {
  Q_OBJECT
 private slots:
  void theTableTellsThem() {
    QVERIFY(ofTable({}).wideReads.empty());
    sim::FlashModel two;
    two.lines = 2;
    const std::vector<WideCommand> ofTwo{{0x3B, 1, 2, 0, 8}, {0xBB, 2, 2, 4, 0}};
    QVERIFY(ofTable(two).wideReads == ofTwo);
    sim::FlashModel four;
    four.lines = 4;
    const NorCommands commands = ofTable(four);
    const std::vector<WideCommand> ofFour{
        {0x3B, 1, 2, 0, 8}, {0xBB, 2, 2, 4, 0}, {0x6B, 1, 4, 0, 8}, {0xEB, 4, 4, 2, 4}};
    QVERIFY(commands.wideReads == ofFour);
    QVERIFY(commands.quad && commands.quad->mask == 0);  // it has no such bit
    four.twoRegisters = true;
    QVERIFY(ofTable(four).quad == (QuadEnable{"status 2", 0x35, 0x02, 0x50}));
    // With commands that always take four address bytes, programs too.
    four.size = 32u << 20;
    four.sfdp = sim::FlashModel::Sfdp::Newest;
    four.fourByte = sim::FlashModel::FourByte::OwnCommands;
    const NorCommands large = ofTable(four);
    QCOMPARE(large.wideReads.size(), std::size_t{8});
    QVERIFY(large.wideReads.back() == (WideCommand{0xEC, 4, 4, 2, 4, true}));
    const std::vector<WideCommand> programs{{0x34, 1, 4, 0, 0, true}, {0x3E, 4, 4, 0, 0, true}};
    QVERIFY(large.widePrograms == programs);
  }

  void theFastestIsTriedFirstAndTheNextOneBehindIt() {
    NorCommands commands;
    commands.wideReads = {{0x3B, 1, 2, 0, 8}, {0xBB, 2, 2, 4, 0},       {0x6B, 1, 4, 0, 8},
                          {0xEB, 4, 4, 2, 4}, {0xEC, 4, 4, 2, 4, true}, {0xB9, 2, 2, 1, 0}};
    commands.widePrograms = {{0x32, 1, 4}, {0x38, 4, 4}, {0xA2, 1, 2}};
    WideWay way(4, commands, false);
    QVERIFY(way.read() == nullptr && way.program() == nullptr);
    std::vector<std::uint8_t> order;
    for (const WideCommand& each : way.untried()) order.push_back(each.opcode);
    // Not the one with four address bytes, nor one whose mode clocks are no byte and have nothing behind them.
    QVERIFY((order == std::vector<std::uint8_t>{0xEB, 0x6B, 0xBB, 0x3B}));
    way.tried(false);
    way.tried(true);
    QCOMPARE(way.read()->opcode, 0x6B);
    QVERIFY(way.program() == nullptr);  // its address went over one line: nothing proves four the other way
    way.forget();
    way.tried(true);
    QCOMPARE(way.read()->opcode, 0xEB);
    QCOMPARE(way.program()->opcode, 0x38);
    way.forget();
    way.dropFour();
    way.tried(true);
    QCOMPARE(way.read()->opcode, 0xBB);
    QCOMPARE(way.program()->opcode, 0xA2);
    QVERIFY(WideWay(1, commands, false).untried().empty());
    QCOMPARE(WideWay(4, commands, true).untried().size(), std::size_t{1});
  }

  void bytesTellLinesApartOrDoNot() {
    QVERIFY(!tellLines(Bytes(64, 0xFF), 2));
    QVERIFY(!tellLines(Bytes(64, 0x0F), 4));  // all four the same at each time
    QVERIFY(tellLines(Bytes{0x1B, 0xE4}, 2));
    QVERIFY(!tellLines(Bytes{0x33, 0xCC}, 4));  // two of them are one
    QVERIFY(tellLines(Bytes{0x12, 0x48}, 4));
  }

  void cardsHaveThem() {
    const char* text = R"({"imprimo_part": 1, "name": "Q", "id": "0x7E4015", "size": "2M", "page": 256,
      "program": {"typical": 0.0007, "longest": 0.003}, "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.05, "longest": 0.4}],
      "registers": [{"name": "more", "read": "0x36", "write": "0x31"}],
      "wide_reads": [{"lines": "1-4-4", "opcode": "0xEB", "mode_clocks": 2, "dummy_clocks": 4}],
      "wide_programs": [{"lines": "1-1-4", "opcode": "0x34", "four_byte": true}],
      "quad_enable": {"register": "more", "bit": 6, "volatile": "0x50"}})";
    const PartCard card = parsePartCard(text, "card");
    QVERIFY(card.commands.wideReads == (std::vector<WideCommand>{{0xEB, 4, 4, 2, 4}}));
    QVERIFY(card.commands.widePrograms == (std::vector<WideCommand>{{0x34, 1, 4, 0, 0, true}}));
    QVERIFY(card.commands.quad == (QuadEnable{"more", 0x36, 0x40, 0x50}));
    QVERIFY(parsePartCard(partCardText(card), "again").commands == card.commands);
    // What an identification keeps has no registers.
    PartCard seen = card;
    seen.registers.clear();
    QVERIFY(parsePartCard(partCardText(seen), "seen").commands == card.commands);
    const auto broken = [&](const char* from, const char* to) {
      QString changed = text;
      changed.replace(from, to);
      return errorOf([&] { parsePartCard(changed.toStdString(), "card"); });
    };
    VERIFY_CONTAINS(broken("1-4-4", "1-4-2"), "wide_reads[0].lines: should be \"1-1-2\"");
    VERIFY_CONTAINS(broken("\"bit\": 6", "\"bit\": 8"), "quad_enable.bit: should be 0 to 7");
    VERIFY_CONTAINS(broken("\"register\": \"more\"", "\"register\": \"other\""), "has no register of this name");
    VERIFY_CONTAINS(broken("\"dummy_clocks\": 4", "\"dummy_clocks\": 40"), "should be 0 to 31");
  }
};

IMPRIMO_TEST(SeveralLinesTest);
#include "tst_several_lines.moc"
