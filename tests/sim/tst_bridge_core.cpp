// SPDX-License-Identifier: GPL-3.0-or-later
//
// The bridge of the FPGA alone, clock by clock, against its page: these tests write bits themselves and use none of the
// program's own frames.
#include "sim/bridge_core.h"

#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::sim;
using namespace imprimo::test;

namespace {

const std::string kHello =
    "11100101100000000001000000000000110000110000000000000000000000000000000000000000000000000000000000000000";
const std::string kWriteEnable = "111001010100000010000000000000001100001100000110";
const std::string kReadStatus = "11100101010000000100000000000000001111110000010100000000";

/// Header bits for an opcode and a length; body bits most significant first.
std::string frame(std::uint8_t opcode, std::uint16_t length, const Bytes& body, bool goodCrc = true) {
  const std::uint8_t bytes[] = {opcode, static_cast<std::uint8_t>(length), static_cast<std::uint8_t>(length >> 8)};
  std::uint8_t crc = 0;
  for (const std::uint8_t byte : bytes) {
    crc ^= byte;
    for (int i = 0; i < 8; ++i) crc = static_cast<std::uint8_t>(crc & 0x80 ? crc << 1 ^ 0x07 : crc << 1);
  }
  if (!goodCrc) crc ^= 0x10;
  std::string text;
  for (const std::uint8_t byte : {std::uint8_t{0xA7}, bytes[0], bytes[1], bytes[2], crc}) {
    for (int i = 0; i < 8; ++i) text += (byte >> i & 1) != 0 ? '1' : '0';
  }
  for (const std::uint8_t byte : body) {
    for (int i = 7; i >= 0; --i) text += (byte >> i & 1) != 0 ? '1' : '0';
  }
  return text;
}

struct Fabric {
  Violations violations;
  SpiFlash flash{FlashModel{}, violations};
  BridgeCore core{flash, violations};
  Time now = 0;

  /// One Shift-DR; the answer is aligned with what was sent: bit i of it belongs to bit i sent.
  std::string shift(const std::string& bits, bool leave = true) {
    core.enter();
    std::string out = clocks(bits + "0").substr(1);
    if (leave) core.leave(now);
    return out;
  }
  std::string clocks(const std::string& bits) {
    std::string out;
    for (const char c : bits) {
      out += core.clock(c == '1', now) ? '1' : '0';
      now += 100'000;
    }
    return out;
  }
  /// The last `count` bytes of an answer.
  static Bytes tail(const std::string& bits, std::size_t count) {
    Bytes bytes;
    for (std::size_t at = bits.size() - 8 * count; at < bits.size(); at += 8) {
      bytes.push_back(static_cast<std::uint8_t>(std::stoi(bits.substr(at, 8), nullptr, 2)));
    }
    return bytes;
  }
};

}  // namespace

class BridgeCoreTest : public QObject {
  Q_OBJECT
 private slots:
  void theWorkedFramesOfThePage() {
    COMPARE_TEXT(frame(1, 8, Bytes(8, 0)), kHello);
    COMPARE_TEXT(frame(2, 1, {6}), kWriteEnable);
    COMPARE_TEXT(frame(2, 2, {5, 0}), kReadStatus);
    Fabric f;
    QCOMPARE(f.tail(f.shift(kHello), 8), (Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 0, 0}));
    f.shift(kWriteEnable);
    QCOMPARE(f.tail(f.shift(kReadStatus), 1), (Bytes{0x02}));
    COMPARE_TEXT(f.violations.text(), "");
  }

  void nothingIsAnsweredOutsideBodies() {
    Fabric f;
    const std::string answer = f.shift(kHello);
    COMPARE_TEXT(answer.substr(0, 40), std::string(40, '0'));
    COMPARE_TEXT(f.shift(std::string(200, '0')), std::string(200, '0'));
  }

  void anyNumberOfZerosMayStandBetweenFrames() {
    for (int zeros = 0; zeros < 20; ++zeros) {
      Fabric f;
      const std::string gap(static_cast<std::size_t>(zeros), '0');
      const std::string answer = f.shift(gap + kWriteEnable + gap + kReadStatus + gap + kHello);
      QCOMPARE(f.tail(answer, 8), (Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 0, 0}));
      QCOMPARE(f.flash.commands().at(0x05), 1u);
    }
  }

  void aWrongCrcOrOpcodeMakesItDeafUntilShiftDrIsLeft() {
    for (const std::string& bad : {frame(2, 1, {6}, false), frame(9, 1, {6})}) {
      Fabric f;
      COMPARE_TEXT(f.shift(bad + kHello).substr(48), std::string(kHello.size(), '0'));
      QVERIFY(f.flash.commands().empty());
      QCOMPARE(f.tail(f.shift(kHello), 8)[6], 0x01);
      QCOMPARE(f.tail(f.shift(kHello), 8)[6], 0x00);  // answering it clears it
    }
  }

  void aHoldDropsAllButHello() {
    Fabric f;
    // Write enable, program one byte; the guard looks at once and finds the part busy.
    const std::string program = kWriteEnable + frame(2, 5, {2, 0, 0, 0, 0x55});
    const std::string guard = frame(3, 5, {0x05, 0x01, 0x00, 0, 0});
    const std::string answer = f.shift(program + guard + kWriteEnable + kHello);
    QCOMPARE(f.tail(answer, 8), (Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 2, 0}));
    QCOMPARE(f.flash.commands().at(0x06), 1u);
    QCOMPARE(f.tail(f.shift(kHello), 8)[6], 0x00);
    COMPARE_TEXT(f.violations.text(), "");
  }

  void aGuardThatFailsWithNothingBehindItShowsOnlyInItsAnswer() {
    Fabric f;
    const std::string program = kWriteEnable + frame(2, 5, {2, 0, 0, 0, 0x55});
    const std::string answer = f.shift(program + frame(3, 6, {0x05, 0x01, 0x00, 0, 0, 0}));
    QCOMPARE(f.tail(answer, 3), (Bytes{0x00, 0x03, 0x03}));  // the command's own clocks are answered with zeros
    QCOMPARE(f.tail(f.shift(kHello), 8)[6], 0x00);
  }

  void aGuardThatIsMetLetsPass() {
    Fabric f;
    f.shift(frame(3, 5, {0x05, 0x01, 0x00, 0, 0}) + kWriteEnable);
    QCOMPARE(f.flash.commands().at(0x06), 1u);
  }

  void anUnknownOpcodeWhileHoldingMakesItDeafToo() {
    Fabric f;
    const std::string hold = frame(3, 5, {0x05, 0x02, 0x02, 0, 0});
    COMPARE_TEXT(f.shift(hold + frame(9, 1, {0}) + kHello).substr(80 + 48), std::string(kHello.size(), '0'));
    QCOMPARE(f.tail(f.shift(kHello), 8)[6], 0x01);
  }

  void hostErrorsAnswerAsManyBitsAndDoNothing() {
    Fabric f;
    COMPARE_TEXT(f.shift(frame(1, 3, {0, 0, 0}) + kHello).substr(0, 64), std::string(64, '0'));
    // A guard that is too short fails: what follows is dropped.
    QCOMPARE(f.tail(f.shift(frame(3, 4, {0x05, 0, 0, 0}) + kWriteEnable + kHello), 8)[6], 0x02);
    QVERIFY(f.flash.commands().empty());
    QCOMPARE(f.tail(f.shift(frame(2, 0, {}) + kHello), 8)[6], 0x00);
    QCOMPARE(f.violations.count(), 3u);
  }

  void leavingInTheMiddleRaisesChipSelectAndIsNoted() {
    Fabric f;
    f.core.enter();
    f.clocks(frame(2, 4, {0x9F, 0, 0, 0}).substr(0, 40 + 11));
    f.core.leave(f.now);
    VERIFY_CONTAINS(f.violations.text(), "Shift-DR left inside a frame");
    QCOMPARE(f.tail(f.shift(kHello), 8), (Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 0, 0}));
  }

  void anUnflushedTailIsNoted() {
    Fabric f;
    f.core.enter();
    f.clocks(kWriteEnable);
    f.core.paused();
    COMPARE_TEXT(f.violations.text(), "bridge: clock stopped before the last frame was flushed\n");
    f.clocks("0");
    f.core.paused();
    f.core.leave(f.now);
    QCOMPARE(f.violations.count(), 1u);
  }

  void bitsBeforeSyncDoNotMatterUnlessTheyMakeOne() {
    Fabric f;
    const std::string answer = f.shift("1101" + std::string("0000") + kHello);
    QCOMPARE(f.tail(answer, 8)[0], 0x49);
  }
};
IMPRIMO_TEST(BridgeCoreTest);
#include "tst_bridge_core.moc"
