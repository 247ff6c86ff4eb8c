// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "core/base/amount.h"
#include "core/base/number.h"
#include "core/base/range_set.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class NumberTest : public QObject {
  Q_OBJECT
 private slots:
  void numbersAreHexDecimalOrScaled() {
    QCOMPARE(parseNumber("0x1F"), std::optional<std::uint64_t>{31});
    QCOMPARE(parseNumber("4096"), std::optional<std::uint64_t>{4096});
    QCOMPARE(parseNumber("64K"), std::optional<std::uint64_t>{65536});
    QCOMPARE(parseNumber("8M"), std::optional<std::uint64_t>{8u << 20});
    QCOMPARE(parseNumber("0xFFFFFFFFFFFFFFFF"), std::optional<std::uint64_t>{UINT64_MAX});
    for (const char* bad :
         {"", "0x", "K", "-1", "1.5", "12 ", " 12", "0x1G", "18446744073709551616", "0xFFFFFFFFFFFFFFFFK", "1e3"}) {
      QVERIFY2(!parseNumber(bad), bad);
    }
  }

  void rangesIncludeBothEndsOrHaveALength() {
    QVERIFY(parseRange("0x10..0x1F") == (AddressRange{0x10, 0x20}));
    for (const char* told : {"0x10 - 0x1F", "0x10-0x1F", "0x10 .. 0x1F", "0x10 \xE2\x80\x93 0x1F"})
      QVERIFY2(parseRange(told) == (AddressRange{0x10, 0x20}), told);
    QVERIFY(parseRange(rangeText({0x10, 0x20})) == (AddressRange{0x10, 0x20}));
    QVERIFY(parseRange("1M+64K") == (AddressRange{1 << 20, (1 << 20) + 65536}));
    for (const char* bad :
         {"", "5", "9..8", "1+0", "..", "+", "1..", "0..0xFFFFFFFFFFFFFFFF", "0xFFFFFFFFFFFFFFFF+1"}) {
      QVERIFY2(!parseRange(bad), bad);
    }
  }

  void sizesAndTimesAreForPeople() {
    COMPARE_TEXT(sizeText(1), "1 byte");
    COMPARE_TEXT(sizeText(1023), "1023 bytes");
    COMPARE_TEXT(sizeText(8u << 20), "8 MiB");
    COMPARE_TEXT(sizeText(1182272), "1.13 MiB");
    COMPARE_TEXT(durationText(0.0004), "1 ms");
    COMPARE_TEXT(durationText(2.14), "2.1 s");
    COMPARE_TEXT(durationText(185), "3 min 5 s");
    COMPARE_TEXT(rangeText({0x3000, 0x4000}), "0x003000 – 0x003FFF");
  }

  void anAmountHasItsUnit() {
    COMPARE_TEXT((Amount{1'258'291, Amount::Bytes}.text()), "1.20 MiB");
    COMPARE_TEXT((Amount{9'460'000, Amount::Bits}.text()), "9.46 Mbit");
    COMPARE_TEXT((Amount{2'000, Amount::Clocks}.text()), "2000 clocks");
    QVERIFY(Amount{}.empty());
  }

  void aRangeSetIsASetOfAddresses() {
    std::mt19937 random(3);
    for (int round = 0; round < 200; ++round) {
      RangeSet set;
      std::set<std::uint64_t> reference;
      for (int i = 0; i < 30; ++i) {
        const std::uint64_t begin = below(random, 100);
        const AddressRange range{begin, begin + below(random, 20)};
        const bool add = random() % 3 != 0;
        add ? set.add(range) : set.remove(range);
        for (std::uint64_t a = range.begin; a < range.end; ++a)
          add ? (void)reference.insert(a) : (void)reference.erase(a);
        QCOMPARE(set.size(), reference.size());
        const std::uint64_t at = below(random, 130);
        QCOMPARE(set.contains({at, at + 1}), reference.contains(at));
        QCOMPARE(set.overlaps({at, at + 1}), reference.contains(at));
      }
      const auto ranges = set.ranges();
      for (std::size_t i = 1; i < ranges.size(); ++i) QVERIFY(ranges[i - 1].end < ranges[i].begin);
    }
  }
};
IMPRIMO_TEST(NumberTest);
#include "tst_numbers.moc"
