// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/bit_vector.h"

#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

/// The fast paths against one bit at a time.
class BitVectorTest : public QObject {
  Q_OBJECT
 private slots:
  void bytesGoLeastOrMostSignificantBitFirst() {
    BitVector bits;
    bits.appendLsbFirst(Bytes{0xA7});
    bits.appendMsbFirst(Bytes{0x06});
    COMPARE_TEXT(bits.wireText(), "1110010100000110");
  }

  void appendingAtAnyOffsetIsAppendingBitByBit() {
    std::mt19937 random(1);
    for (int round = 0; round < 400; ++round) {
      BitVector fast, slow;
      for (int piece = 0; piece < 6; ++piece) {
        const Bytes bytes = randomBytes(random, below(random, 40));
        const bool msbFirst = random() % 2 != 0;
        const std::size_t fill = below(random, 150);
        const bool level = random() % 2 != 0;
        const std::size_t few = below(random, 65);
        const std::uint64_t value = (std::uint64_t{random()} << 32) | random();
        msbFirst ? fast.appendMsbFirst(bytes) : fast.appendLsbFirst(bytes);
        fast.appendFill(level, fill);
        fast.appendBits(value, few);
        for (const std::uint8_t byte : bytes) {
          for (int i = 0; i < 8; ++i) slow.append((byte >> (msbFirst ? 7 - i : i) & 1) != 0);
        }
        for (std::size_t i = 0; i < fill; ++i) slow.append(level);
        for (std::size_t i = 0; i < few; ++i) slow.append((value >> i & 1) != 0);
      }
      QVERIFY(fast == slow);
      COMPARE_TEXT(fast.wireText(), slow.wireText());
    }
  }

  void readingAtAnyOffsetGivesBackWhatWasAppended() {
    std::mt19937 random(2);
    for (int round = 0; round < 300; ++round) {
      const Bytes bytes = randomBytes(random, below(random, 60));
      const std::size_t offset = below(random, 130);
      for (const bool msbFirst : {false, true}) {
        BitVector bits(offset, true);
        msbFirst ? bits.appendMsbFirst(bytes) : bits.appendLsbFirst(bytes);
        bits.appendFill(true, below(random, 70));
        Bytes out(bytes.size());
        msbFirst ? bits.readMsbFirst(offset, out) : bits.readLsbFirst(offset, out);
        QCOMPARE(out, bytes);
      }
    }
  }

  void bitsPastTheEndReadAsZero() {
    const BitVector bits(3, true);
    QCOMPARE(bits.bits(0, 64), 7u);
    QCOMPARE(bits.bits(2, 64), 1u);
    QCOMPARE(bits.bits(3, 64), 0u);
    QCOMPARE(bits.bits(1000, 8), 0u);
  }

  void wireTextReadsBack() {
    COMPARE_TEXT(BitVector::fromWireText("0110001").wireText(), "0110001");
    QVERIFY_THROWS_EXCEPTION(std::invalid_argument, BitVector::fromWireText("01x"));
    COMPARE_TEXT(BitVector::fromLsbFirst(0x6, 4).wireText(), "0110");
  }
};
IMPRIMO_TEST(BitVectorTest);
#include "tst_bit_vector.moc"
