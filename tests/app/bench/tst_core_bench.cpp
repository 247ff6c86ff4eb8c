// SPDX-License-Identifier: GPL-3.0-or-later
//
// A board with nothing but a core on SWD, in the window: the rail, the map, a run and what it leaves.
#include <QPushButton>
#include <QTemporaryDir>

#include "app/bench/chain_rail.h"
#include "app/bench/rail_items.h"
#include "tests/app/stage.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {

/// The float sensor in a folder of its own, open in a window.
struct FloatStage {
  FloatStage() {
    copyFolder(QString(IMPRIMO_DEMO) + "/float", folder.path());
    demo = std::make_unique<DemoBench>(folder.filePath("bench.json").toStdString(), false);
    window.resize(1280, 800);
    window.show();
    window.bench().keeping().open(folder.filePath("float-sensor.imprimo"));
  }
  bool connect() {
    window.bench().link().connectTo(QString::fromStdString(demo->address()));
    return QTest::qWaitFor([&] { return window.bench().link().state() == LinkState::Connected; }, kPatience);
  }
  bool untilPlanned() {
    return QTest::qWaitFor([&] { return window.bench().run().plan() && window.bench().run().plan()->complete; },
                           kPatience);
  }
  QTemporaryDir folder;
  std::unique_ptr<DemoBench> demo;
  MainWindow window{viewTable()};
};

}  // namespace

class CoreBenchTest : public QObject {
  Q_OBJECT
 private slots:
  void theRailShowsTheCoreAndItsMemory() {
    FloatStage s;
    const RailLayout before = layOutRail(s.window.bench());
    QCOMPARE(before.items.size(), 2u);
    QCOMPARE(before.items[0].kind, RailItem::Core);
    QCOMPARE(before.items[0].state, RailItem::Unknown);
    QVERIFY(s.connect());
    const RailLayout rail = layOutRail(s.window.bench());
    QCOMPARE(rail.items[0].title, QString("sensor"));
    QCOMPARE(rail.items[0].state, RailItem::Agrees);
    QVERIFY(rail.items[0].right.contains("sleeps"));
    QVERIFY(rail.items[0].detail.contains("ARMv6-M"));
    QCOMPARE(rail.items[1].memory, std::string("program"));
    QCOMPARE(rail.items[1].state, RailItem::Agrees);
    // A click on the core chooses nothing else.
    auto* view = s.window.findChild<ChainRail*>();
    QTest::mouseClick(view, Qt::LeftButton, {}, rail.items[0].rect.center());
    QCOMPARE(s.window.bench().memory(), std::string("program"));
    QVERIFY(!s.window.bench().atDevice());
  }

  void itIsWrittenByTheOneButton() {
    FloatStage s;
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    QCOMPARE(s.window.bench().looks().looks().size(), 64u);
    QVERIFY(s.window.bench().looks().differingBytes() > 0);
    QTest::mouseClick(s.window.findChild<QPushButton*>("go"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().run().record() != nullptr; }, kPatience));
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
    QCOMPARE(s.window.bench().looks().differingBytes(), 0u);
    const auto [held, violations] = s.demo->with([](sim::Bench& b) {
      const Bytes& flash = b.board().chip()->flash();
      return std::pair(Bytes(flash.begin() + 0x3F000, flash.begin() + 0x3F005), b.violations());
    });
    QCOMPARE(held, (Bytes{'F', 'L', 'O', 'A', 'T'}));  // what is kept
    QVERIFY2(violations.empty(), violations.c_str());
  }
};
IMPRIMO_TEST(CoreBenchTest);
#include "tst_core_bench.moc"
