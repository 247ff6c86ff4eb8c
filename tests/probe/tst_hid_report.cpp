// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>

#include "core/probe/dap/hid_report.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::probe;

class HidReportTest : public QObject {
  Q_OBJECT
 private slots:
  void theOutputReportCounts() {
    // 8 bits, 64 of them in and 512 out.
    QCOMPARE(hidOutputReport(Bytes{0x75, 8, 0x95, 64, 0x81, 2, 0x96, 0x00, 0x02, 0x91, 2}), 512u);
    // Two numbered ones: the longer.
    QCOMPARE(hidOutputReport(Bytes{0x75, 8, 0x85, 1, 0x95, 16, 0x91, 2, 0x85, 2, 0x95, 63, 0x91, 2}), 63u);
    // One in two pieces of single bits.
    QCOMPARE(hidOutputReport(Bytes{0x75, 1, 0x95, 12, 0x91, 2, 0x95, 4, 0x91, 1}), 2u);
    // Pushed, changed, and back.
    QCOMPARE(hidOutputReport(Bytes{0x75, 8, 0x95, 64, 0xA4, 0x95, 1, 0xB4, 0x91, 2}), 64u);
    // A long item is passed over.
    QCOMPARE(hidOutputReport(Bytes{0xFE, 3, 0x55, 0x91, 0x91, 0x91, 0x75, 8, 0x95, 64, 0x91, 2}), 64u);
  }

  void whatHasNoneOrLiesIsNothing() {
    QCOMPARE(hidOutputReport({}), 0u);
    QCOMPARE(hidOutputReport(Bytes{0x75, 8, 0x95, 64, 0x81, 2}), 0u);
    QCOMPARE(hidOutputReport(Bytes{0xB4}), 0u);
    QCOMPARE(hidOutputReport(Bytes{0x77, 0xFF, 0xFF, 0xFF, 0xFF, 0x97, 0xFF, 0xFF, 0xFF, 0xFF, 0x91, 2}), 0u);
    const Bytes whole{0x06, 0x00, 0xFF, 0x75, 8, 0x96, 0x00, 0x02, 0x91, 2};
    for (std::size_t cut = 0; cut < whole.size(); ++cut) {
      const std::size_t bytes = hidOutputReport(ByteSpan(whole).first(cut));
      QVERIFY(bytes == 0);
    }
    std::mt19937 random(17);
    for (int round = 0; round < 20'000; ++round) {
      const std::size_t bytes = hidOutputReport(test::randomBytes(random, test::below(random, 40)));
      QVERIFY(bytes <= 4096);
    }
  }
};
IMPRIMO_TEST(HidReportTest);
#include "tst_hid_report.moc"
