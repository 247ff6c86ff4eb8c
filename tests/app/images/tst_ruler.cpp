// SPDX-License-Identifier: GPL-3.0-or-later
//
// The ruler's geometry, without a widget.
#include "app/images/ruler_geometry.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class RulerTest : public QObject {
  Q_OBJECT
 private slots:
  void addressesAndHeightsAreEachOthersInverse() {
    std::mt19937_64 random(5);
    for (int round = 0; round < 200; ++round) {
      const std::uint64_t begin = random() % (1ull << 36), size = 64 + random() % (1ull << (6 + round % 30));
      const auto g = RulerGeometry::fit(QSize(400 + round, 200 + 3 * round), {begin, begin + size}, 7);
      for (int i = 0; i < 20; ++i) {
        const std::uint64_t address = begin + random() % size;
        const std::uint64_t back = g.addressAt(g.yOf(address));
        const std::uint64_t off = back > address ? back - address : address - back;
        QVERIFY2(off <= 1 + size / 1'000'000'000, qPrintable(QString::number(off)));
      }
      QCOMPARE(g.addressAt(-1000), begin);
      QCOMPARE(g.addressAt(100000), begin + size - 1);
    }
  }

  void smallPiecesCanBeSeenAndStayInside() {
    const auto g = RulerGeometry::fit(QSize(640, 480), {0, 8u << 20}, 7);
    QCOMPARE(g.rectOf({0x400000, 0x400001}).height(), 4);
    QVERIFY(g.strip.contains(g.rectOf({0x400000, 0x400001})));
    QVERIFY(g.strip.contains(g.rectOf({(8u << 20) - 1, 8u << 20})));
    QVERIFY(g.rectOf({8u << 20, 9u << 20}).isEmpty());
    QVERIFY(g.rectOf({5, 5}).isEmpty());
    // What begins above and ends below is what is shown of it.
    const auto near = RulerGeometry::fit(QSize(640, 480), {0x1000, 0x2000}, 7);
    QCOMPARE(near.rectOf({0, 0x10000}).top(), near.strip.top());
    QCOMPARE(near.rectOf({0, 0x10000}).height(), near.strip.height());
  }

  void ticksAreRoundAndApart() {
    for (const std::uint64_t size : {64ull, 0x1000ull, 0x123456ull, 8ull << 20, 1ull << 32}) {
      const auto g = RulerGeometry::fit(QSize(500, 500), {0x100, 0x100 + size}, 7);
      const auto ticks = g.ticks(30);
      QVERIFY(ticks.size() >= 2);
      const std::uint64_t step = ticks[1] - ticks[0];
      QVERIFY(std::has_single_bit(step));
      for (const std::uint64_t at : ticks) QCOMPARE(at % step, 0u);
      for (std::size_t i = 1; i < ticks.size(); ++i) QVERIFY(g.yOf(ticks[i]) - g.yOf(ticks[i - 1]) >= 29.9);
    }
  }

  void labelsNeverOverlapAndKeepTheirOrder() {
    std::mt19937 random(8);
    for (int round = 0; round < 500; ++round) {
      const int bottom = 60 + static_cast<int>(below(random, 500)), height = 12 + static_cast<int>(below(random, 30));
      std::vector<double> wanted;
      for (std::size_t i = 0; i < below(random, 30); ++i)
        wanted.push_back(static_cast<double>(below(random, static_cast<std::size_t>(bottom))));
      std::sort(wanted.begin(), wanted.end());
      const auto chosen = wanted.empty() ? std::nullopt : std::optional<std::size_t>{below(random, wanted.size())};
      const auto tops = spreadLabels(wanted, height, 4, bottom, chosen);
      int free = 4;
      std::size_t shown = 0;
      for (const auto& top : tops) {
        if (!top) continue;
        ++shown;
        QVERIFY(*top >= free);
        free = *top + height;
      }
      QVERIFY(free <= bottom || shown == 0);
      QCOMPARE(shown, std::min(wanted.size(), static_cast<std::size_t>((bottom - 4) / height)));
      if (chosen && shown > 0) QVERIFY(tops[*chosen].has_value());
    }
    // Where there is room each is where it wants to be.
    QCOMPARE(spreadLabels({50, 150}, 20, 0, 200), (std::vector<std::optional<int>>{40, 140}));
    QCOMPARE(spreadLabels({50, 52}, 20, 0, 200), (std::vector<std::optional<int>>{40, 60}));
    QCOMPARE(spreadLabels({198, 199}, 20, 0, 200), (std::vector<std::optional<int>>{160, 180}));
  }

  void snappingGoesToTheNearest() {
    QCOMPARE(snapped(0x17FF, 0x1000), 0x1000u);
    QCOMPARE(snapped(0x1800, 0x1000), 0x2000u);
    QCOMPARE(snapped(0x1801, 0x1000), 0x2000u);
    QCOMPARE(snapped(77, 0), 77u);
    QCOMPARE(snapped(UINT64_MAX, 0x1000), UINT64_MAX - 0xFFF);
  }
};
IMPRIMO_TEST(RulerTest);
#include "tst_ruler.moc"
