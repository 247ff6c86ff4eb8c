// SPDX-License-Identifier: GPL-3.0-or-later
//
// The pins of the window: sampled live, filtered, driven by click, let go by one key.
#include <QLineEdit>
#include <QToolButton>

#include "core/pins/package.h"
#include "tests/app/pins/pins_stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class PinsViewTest : public QObject {
  Q_OBJECT

  using Stage = PinsStage;

 private slots:
  void pinsAreSampledLive() {
    Stage s({.drives = "\"clock\": 300"});
    QVERIFY(s.view->isVisible());
    QVERIFY(s.untilSampled());
    QCOMPARE(s.model().sample(s.at("IO(1)")).in, pins::Level(true));
    QCOMPARE(s.model().sample(s.at("OUT_B")).out, pins::Level(true));
    QVERIFY(s.until([&] { return s.model().edges(s.at("IO(0)")) > 20; }));
    QCOMPARE(s.model().edges(s.at("IO(2)")), std::uint64_t{0});
    QVERIFY2(s.find<QLabel>("pinsState")->text().endsWith("samples a second"),
             qPrintable(s.find<QLabel>("pinsState")->text()));
    // What the device itself does there is said of the chosen one.
    s.choose("OUT_B");
    QVERIFY(s.until([&] { return s.find<QLabel>("pinsChosen")->text() == "OUT_B, pin 10; the device drives 1"; }));
    s.choose("IO(1)");
    QVERIFY(s.until([&] { return s.find<QLabel>("pinsChosen")->text() == "IO(1), pin 2; the device lets it go"; }));
    // Filtered by what moves; each port is named with its level for readers.
    auto* filter = s.find<QLineEdit>("pinsFilter");
    filter->setFocus();
    QTest::keyClicks(filter, "moving");
    auto* list = s.find<QListView>("pinsList");
    QCOMPARE(list->model()->rowCount(), 2);
    QVERIFY2(list->model()->index(0, 0).data(Qt::AccessibleTextRole).toString().startsWith("IO(0), pin 1, "),
             qPrintable(list->model()->index(0, 0).data(Qt::AccessibleTextRole).toString()));
    // Its trace is shown by choice.
    s.choose("IO(0)");
    QTest::mouseClick(s.find<QToolButton>("pinsTraced"), Qt::LeftButton);
    auto* trace = s.find<PinTrace>("pinTrace");
    QVERIFY(trace->height() > 0 && trace->ports().size() == 1);
    QVERIFY(!s.cutsOff());
    // Another view in front: nothing is sampled any more.
    QTest::keyClick(&s.window, Qt::Key_1, Qt::ControlModifier);
    QTest::qWait(200);
    const std::uint64_t before = s.model().edges(s.at("IO(0)"));
    QTest::qWait(200);
    QCOMPARE(s.model().edges(s.at("IO(0)")), before);
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void aPortIsDrivenAndLetGoByOneKey() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    s.choose("IO(0)");
    // The first time it is said before it is done.
    QTest::mouseClick(s.find<QToolButton>("pinsHigh"), Qt::LeftButton);
    QVERIFY(
        s.find<QLabel>("pinsDriven")
            ->text()
            .startsWith(
                "From then on lark’s own logic is cut off from all its pins. Driven: IO(0) 1; driven along: OUT_B 1"));
    QTest::qWait(100);
    QVERIFY(!s.cutsOff());
    QTest::mouseClick(s.find<QToolButton>("pinsHigh"), Qt::LeftButton);
    QVERIFY(s.until([&] { return s.model().sample(s.at("IN_A")).in == pins::Level(true); }));
    auto* strip = s.find<QLabel>("pinsDriven");
    QVERIFY(strip->isVisible());
    QVERIFY2(strip->text().contains("lark’s own logic is cut off from its pins. Driven: IO(0) 1"),
             qPrintable(strip->text()));
    QVERIFY(s.until([&] { return strip->text().contains("driven along: OUT_B 1"); }));
    QVERIFY(s.cutsOff());
    QTest::mouseClick(s.find<QToolButton>("pinsLow"), Qt::LeftButton);
    QVERIFY(s.until([&] { return s.model().sample(s.at("IN_A")).in == pins::Level(false); }));
    QTest::keyClick(s.view, Qt::Key_Escape);
    QVERIFY(s.until([&] { return !s.cutsOff(); }));
    QVERIFY(!strip->isVisible());
    // An input cannot be driven, and says why.
    s.choose("IN_A");
    QVERIFY(!s.find<QToolButton>("pinsHigh")->isEnabled());
    QCOMPARE(s.find<QLabel>("pinsChosen")->text(), QString("IN_A is an input only."));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void whoGoesLetsGo() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    s.choose("IO(0)");
    for (int i = 0; i < 2; ++i) QTest::mouseClick(s.find<QToolButton>("pinsHigh"), Qt::LeftButton);
    QVERIFY(s.until([&] { return s.cutsOff(); }));
    QTest::keyClick(&s.window, Qt::Key_2, Qt::ControlModifier);
    QVERIFY(s.until([&] { return !s.cutsOff(); }));
    // Disconnecting does too.
    QTest::keyClick(&s.window, Qt::Key_4, Qt::ControlModifier);
    QVERIFY(s.until([&] { return s.model().isSampled() && s.find<QToolButton>("pinsHigh")->isEnabled(); }));
    for (int i = 0; i < 2; ++i) QTest::mouseClick(s.find<QToolButton>("pinsHigh"), Qt::LeftButton);
    QVERIFY(s.until([&] { return s.cutsOff(); }));
    s.window.bench().link().disconnectProbe();
    QVERIFY(s.until([&] { return !s.cutsOff(); }));
  }

  void packagesAreDrawnByTheirPins() {
    const auto description = bsdl::parse(PinsWorld::bsdlText(), "lark.bsd");
    const pins::Package round = pins::packageOf(description, pins::boundaryPorts(description));
    QVERIFY(round.shape == pins::Package::Shape::Perimeter);
    QCOMPARE(round.pins.size(), std::size_t{20});
    const auto at = [&](const char* name) {
      for (const pins::PackagePin& pin : round.pins) {
        if (pin.name == name) return QPointF(pin.x, pin.y);
      }
      return QPointF(-1, -1);
    };
    // Five a side, against the clock from the top of the left one.
    QCOMPARE(at("1"), QPointF(0, 1));
    QCOMPARE(at("5"), QPointF(0, 5));
    QCOMPARE(at("6"), QPointF(1, 6));
    QCOMPARE(at("11"), QPointF(6, 5));
    QCOMPARE(at("16"), QPointF(5, 0));
    std::string text = PinsWorld::bsdlText();
    const std::string numbers = "IO : (1,2,3,4,5,6,7,8), IN_A : 9, OUT_B : 10, OD : 11, SH : (12,13), BD : 14, ";
    text.replace(text.find(numbers), numbers.size(),
                 "IO : (A1,A2,A3,A4,B1,B2,B3,AA12), IN_A : C1, OUT_B : C2, OD : C3, SH : (D1,D2), BD : D3, ");
    const std::string rest = "MODE : 15, TCK : 16, TMS : 17, TDI : 18, TDO : 19, VCC : 20";
    text.replace(text.find(rest), rest.size(), "MODE : E1, TCK : E2, TMS : E3, TDI : E4, TDO : E5, VCC : E6");
    const auto grid = bsdl::parse(text, "lark.bsd");
    const pins::Package package = pins::packageOf(grid, pins::boundaryPorts(grid));
    QVERIFY(package.shape == pins::Package::Shape::Grid);
    QCOMPARE(package.width, 12.0);
    QCOMPARE(package.height, 6.0);
    for (const pins::PackagePin& pin : package.pins) {
      if (pin.name == "AA12") QCOMPARE(QPointF(pin.x, pin.y), QPointF(11, 5));
    }
  }
};

IMPRIMO_TEST(PinsViewTest);
#include "tst_pins_view.moc"
