// SPDX-License-Identifier: GPL-3.0-or-later
//
// Two ports and two devices at once: continuity, what moves together, clocks that are driven.
#include "core/pins/continuity.h"
#include "core/pins/driven_cells.h"
#include "core/pins/moving_together.h"
#include "tests/pins/pins_world.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::pins;
using namespace imprimo::test;

class TogetherTest : public QObject {
  Q_OBJECT

  static std::size_t at(const PinScan& scan, const char* port) { return scan.ports().at(port); }

 private slots:
  void continuityIsTriedBothWays() {
    PinsWorld world({.drives = ""});
    const auto scan = world.bench().openPins(2);
    const Continuity both = checkContinuity(*scan, at(*scan, "IO(1)"), *scan, at(*scan, "BD"));
    QVERIFY(both.joined() && both.there && both.back);
    COMPARE_TEXT(both.words(), "joined, both ways");
    const Continuity one = checkContinuity(*scan, at(*scan, "IO(0)"), *scan, at(*scan, "IN_A"));
    QVERIFY(one.joined() && one.there && !one.back);
    const Continuity none = checkContinuity(*scan, at(*scan, "IO(0)"), *scan, at(*scan, "IO(1)"));
    QVERIFY(!none.joined());
    COMPARE_TEXT(none.words(), "not joined: the other stays 1");
    VERIFY_CONTAINS(errorOf([&] { checkContinuity(*scan, at(*scan, "IN_A"), *scan, at(*scan, "OD")); }),
                    "neither IN_A nor OD can drive the other");
    VERIFY_CONTAINS(errorOf([&] { checkContinuity(*scan, at(*scan, "IN_A"), *scan, at(*scan, "IN_A")); }),
                    "IN_A is one port");
    QVERIFY(!world.boundary().cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void twoDevicesAreSampledAtOnce() {
    PinsWorld world({.drives = "\"clock\": 50000", .twins = true});
    const auto first = world.bench().openPins(2), second = world.bench().openPins(3);
    first->setCompanion(second.get());
    std::deque<BitVector> one, other;
    for (const BitVector& each : first->sample(300)) one.push_back(each);
    for (const BitVector& each : first->companionCaptures()) other.push_back(each);
    QCOMPARE(one.size(), other.size());
    const std::vector<Captured> both{{&first->ports(), &one}, {&second->ports(), &other}};
    const auto groups = movingTogether(both);
    QCOMPARE(groups.size(), std::size_t{1});
    const std::vector<PortOf> expected{{0, at(*first, "IO(0)")}, {0, at(*first, "IN_A")}, {1, at(*second, "IO(2)")}};
    QVERIFY(groups[0] == expected);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void continuityReachesFromDeviceToDevice() {
    PinsWorld world({.drives = "", .twins = true});
    const auto first = world.bench().openPins(2), second = world.bench().openPins(3);
    const Continuity joined = checkContinuity(*first, at(*first, "IO(0)"), *second, at(*second, "IO(2)"));
    COMPARE_TEXT(joined.words(), "joined, both ways");
    const Continuity none = checkContinuity(*first, at(*first, "IO(1)"), *second, at(*second, "IO(2)"));
    QVERIFY(!none.joined());
    QVERIFY(!world.boundary().cutsOff() && !world.board().device(2).boundary()->cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aClockIsDriven() {
    PinsWorld world({.drives = ""});
    const auto scan = world.bench().openPins(2);
    const std::size_t port = at(*scan, "IO(0)");
    const DrivePlan plan = planDrives(scan->ports(), {{port, false}}, scan->sample());
    const double scanSeconds = (36 + 2 + 6) / 10e6;
    constexpr double kHertz = 2000;
    DrivenCells cells(scan->ports(), plan, {{port, kHertz}});
    scan->drive(plan.cells);
    std::vector<BitVector> captures;
    for (int i = 0; i < 10; ++i) {
      for (BitVector& each : scan->exchange(cells.next(1000, scanSeconds))) captures.push_back(std::move(each));
    }
    std::size_t edges = 0;
    const std::uint32_t in = *scan->ports().ports[at(*scan, "IN_A")].input;
    for (std::size_t i = 1; i < captures.size(); ++i) edges += captures[i][in] != captures[i - 1][in] ? 1 : 0;
    // 10 000 scans are 44 ms, in which 2 kHz has 176 edges.
    QVERIFY2(edges >= 174 && edges <= 178, qPrintable(QString::number(edges)));
    // One that cannot be reached is as fast as the scans are.
    DrivenCells fast(scan->ports(), plan, {{port, 1e9}});
    const auto next = fast.next(4, scanSeconds);
    const std::uint32_t out = *scan->ports().ports[port].output;
    QVERIFY(next[0][out] != next[1][out] && next[1][out] != next[2][out]);
    scan->letGo();
    COMPARE_TEXT(world.sim().violations(), "");
  }
};

IMPRIMO_TEST(TogetherTest);
#include "tst_together.moc"
