// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/board.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::sim;
using namespace imprimo::test;

namespace {

DeviceModel model(std::size_t irLength, std::optional<std::uint32_t> idcode) {
  DeviceModel m;
  m.name = "p";
  m.irLength = irLength;
  m.idcode = idcode;
  if (idcode) m.instructions.push_back({"IDCODE", 2, DeviceInstruction::Register::Idcode, 1});
  m.instructions.push_back({"SAMPLE", 1, DeviceInstruction::Register::Plain, 7});
  return m;
}

struct Chain {
  explicit Chain(std::initializer_list<DeviceModel> models) {
    for (const DeviceModel& m : models) board.addDevice(m, "");
    tms("11111");
    tms("0");
  }
  void tms(const char* levels) {
    for (; *levels != 0; ++levels) board.clock(*levels == '1', 0, 1);
  }
  /// From Run-Test/Idle into a register and back; first bit on the left, both ways.
  std::string scan(bool instruction, const std::string& bits) {
    tms(instruction ? "1100" : "100");
    std::string out;
    for (std::size_t i = 0; i < bits.size(); ++i) {
      out += (board.clock(i + 1 == bits.size(), bits[i] == '1', 1) & 1) != 0 ? '1' : '0';
    }
    tms("10");
    return out;
  }
  Board board;
};

}  // namespace

class TapDeviceTest : public QObject {
  Q_OBJECT
 private slots:
  void aResetSelectsIdcodeOrBypass() {
    Chain with({model(4, 0x12345FFD)});
    std::uint32_t code = 0;
    const std::string bits = with.scan(false, std::string(32, '0'));
    for (std::size_t i = 0; i < 32; ++i) code |= static_cast<std::uint32_t>(bits[i] == '1') << i;
    QCOMPARE(code, 0x12345FFDu);
    Chain without({model(4, std::nullopt)});
    COMPARE_TEXT(without.scan(false, "1011"), "0101");
  }

  void captureIrEndsInOne() {
    Chain chain({model(4, std::nullopt), model(3, std::nullopt)});
    COMPARE_TEXT(chain.scan(true, "1111111"), "1001000");  // the part next to TDO first, least significant bit first
  }

  void bypassIsOneBitLateAndAnUnknownOpcodeSelectsIt() {
    Chain chain({model(4, 0x1FFD), model(4, 0x1FFD)});
    chain.scan(true, "11111111");
    COMPARE_TEXT(chain.scan(false, "110100"), "001101");
    chain.scan(true, "00010001");  // 1000 is nobody's
    COMPARE_TEXT(chain.scan(false, "110100"), "001101");
  }

  void aPlainRegisterKeepsWhatPassedUpdate() {
    Chain chain({model(4, 0x1FFD)});
    chain.scan(true, "1000");
    chain.scan(false, "1011001");
    COMPARE_TEXT(chain.scan(false, "0000000"), "1011001");
    COMPARE_TEXT(chain.scan(false, "0000000"), "0000000");
  }

  void fiveOnesResetFromAnywhere() {
    for (int steps = 0; steps < 40; ++steps) {
      Chain chain({model(4, 0x12345FFD)});
      std::mt19937 random(static_cast<unsigned>(steps));
      for (int i = 0; i < steps; ++i) chain.board.clock(random() % 2 != 0, random() % 2, 1);
      chain.tms("111110");
      COMPARE_TEXT(chain.scan(false, "0000"), "1011");
    }
  }

  /// Many clocks at once are the same as one at a time.
  void blocksOfClocksAreClocks() {
    std::mt19937 random(91);
    for (int round = 0; round < 50; ++round) {
      const auto make = [] { return Chain({model(4, 0x1FFD), model(7, std::nullopt), model(5, 0x2FFD)}); };
      Chain one = make(), many = make();
      for (int i = 0; i < 60; ++i) {
        const bool tms = random() % 3 == 0;
        const int count = 1 + static_cast<int>(below(random, 64));
        const std::uint64_t tdi = (std::uint64_t{random()} << 32) | random();
        const std::uint64_t block = many.board.clock(tms, tdi, count);
        for (int k = 0; k < count; ++k) QCOMPARE(one.board.clock(tms, tdi >> k & 1, 1) & 1, block >> k & 1);
      }
      QCOMPARE(one.board.clocks(), many.board.clocks());
      QCOMPARE(one.board.dataClocks(), many.board.dataClocks());
      QCOMPARE(one.board.now(), many.board.now());
    }
  }

  void instructionsThatAreNotAllOnesAreRemembered() {
    Chain chain({model(4, 0x1FFD)});
    chain.scan(true, "1111");
    QVERIFY(chain.board.device(0).instructionsSeen().empty());
    chain.scan(true, "1000");
    chain.scan(true, "1000");
    QCOMPARE(chain.board.device(0).instructionsSeen(), (std::vector<std::uint64_t>{1}));
  }

  void timeGoesByPeriods() {
    Chain chain({model(4, 0x1FFD)});
    const Time before = chain.board.now();
    chain.board.setClock(3'000'000);
    chain.board.clock(false, 0, 30);
    QCOMPARE(chain.board.now() - before, 30 * Time{333'333});
    chain.board.wait(5 * kMicrosecond);
    QCOMPARE(chain.board.now() - before, 30 * Time{333'333} + 5 * kMicrosecond);
  }
};
IMPRIMO_TEST(TapDeviceTest);
#include "tst_tap_device.moc"
