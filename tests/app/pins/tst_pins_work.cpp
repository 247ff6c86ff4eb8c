// SPDX-License-Identifier: GPL-3.0-or-later
//
// More of the pins in the window: two devices, clocks, continuity, names for the sheet, the wires of a flash, and a
// device with very many pins.
#include <fmt/format.h>

#include <QComboBox>
#include <QDropEvent>
#include <QLineEdit>
#include <QMimeData>
#include <QToolButton>

#include "app/pins/wires_dialog.h"
#include "app/rail/chain_rail.h"
#include "core/base/atomic_file.h"
#include "tests/app/pins/pins_stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class PinsWorkTest : public QObject {
  Q_OBJECT

  using Stage = PinsStage;

 private slots:
  void twoDevicesAreShownAndWhatMovesTogether() {
    Stage s({.drives = "\"clock\": 300", .twins = true});
    QVERIFY(s.untilSampled());
    auto* other = s.find<QComboBox>("pinsOther");
    QVERIFY(other->isVisible());
    other->setFocus();
    QTest::keyClick(other, Qt::Key_Down);
    QCOMPARE(other->currentText(), QString("beside back"));
    emit other->activated(other->currentIndex());
    QVERIFY(s.until([&] { return s.model().isSampled(1); }));
    QVERIFY(s.find<QWidget>("otherPackage")->isVisible());
    const pins::PortOf own{0, s.at("IO(0)")}, beside{1, s.model().ports(1).at("IO(2)")};
    QVERIFY(s.until([&] { return !s.model().movesWith(own).empty(); }));
    const auto with = s.model().movesWith(own);
    QVERIFY(std::find(with.begin(), with.end(), beside) != with.end());
    // The list has both devices, and can show only those.
    auto* filter = s.find<QLineEdit>("pinsFilter");
    filter->setFocus();
    QTest::keyClicks(filter, "together");
    auto* list = s.find<QListView>("pinsList");
    QCOMPARE(list->model()->rowCount(), 3);
    QVERIFY(list->model()->index(2, 0).data().toString().startsWith("IO(2) of back, pin 3, "));
    // Pins of the second device are not driven.
    list->setCurrentIndex(list->model()->index(2, 0));
    QVERIFY(!s.find<QToolButton>("pinsHigh")->isEnabled());
    QCOMPARE(s.find<QLabel>("pinsChosen")->text(), QString("Pins of back are driven when it is the first device."));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void aPortIsDrivenAsAClock() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    s.choose("IO(0)");
    auto* hertz = s.find<QLineEdit>("pinsHertz");
    hertz->setFocus();
    hertz->selectAll();
    QTest::keyClicks(hertz, "50");
    auto* clock = s.find<QToolButton>("pinsClock");
    QTest::mouseClick(clock, Qt::LeftButton);
    QVERIFY(s.find<QLabel>("pinsDriven")->text().contains("Driven: IO(0) 50 Hz"));
    QVERIFY(!s.cutsOff());
    QTest::mouseClick(clock, Qt::LeftButton);
    const std::uint64_t before = s.model().edges(s.at("IN_A"));
    QVERIFY(s.until([&] { return s.model().edges(s.at("IN_A")) > before + 20; }));
    QVERIFY(clock->isChecked());
    QTest::mouseClick(clock, Qt::LeftButton);
    QVERIFY(s.until([&] { return !s.cutsOff(); }));
    QVERIFY(!clock->isChecked());
    // What is no rate cannot be driven.
    hertz->selectAll();
    QTest::keyClicks(hertz, "fast");
    QVERIFY(!clock->isEnabled());
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void twoPortsAreTriedForContinuity() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    auto* join = s.find<QToolButton>("pinsJoin");
    auto* tried = s.find<QLabel>("pinsTried");
    const auto tryPair = [&](const char* one, const char* other) {
      s.choose(one);
      QTest::mouseClick(join, Qt::LeftButton);
      s.choose(other);
      QTest::mouseClick(join, Qt::LeftButton);
      QVERIFY2(s.find<QLabel>("pinsDriven")->text().startsWith(QString("%1 and %2 are driven").arg(one, other)),
               qPrintable(s.find<QLabel>("pinsDriven")->text()));
      QTest::mouseClick(join, Qt::LeftButton);
      QVERIFY(s.until([&] { return tried->text().contains("joined"); }));
    };
    tryPair("IO(0)", "IN_A");
    QCOMPARE(tried->text(), QString("joined, one way tried"));
    tryPair("IO(0)", "IO(1)");
    QCOMPARE(tried->text(), QString("not joined: the other stays 1"));
    QVERIFY(!s.cutsOff());
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void portsAreNamedForTheSheetAndChecked() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    s.choose("IO(1)");
    auto* name = s.find<QLineEdit>("pinsName");
    name->setFocus();
    QTest::keyClicks(name, "power good");
    QTest::keyClick(name, Qt::Key_Return);
    auto* wanted = s.find<QComboBox>("pinsWanted");
    wanted->setCurrentIndex(2);
    emit wanted->activated(2);
    QVERIFY(
        s.until([&] { return s.find<QLabel>("pinsState")->text().endsWith("; all 1 levels as the sheet has them"); }));
    wanted->setCurrentIndex(1);
    emit wanted->activated(1);
    QVERIFY(
        s.until([&] { return s.find<QLabel>("pinsState")->text().endsWith("; 0 of 1 levels as the sheet has them"); }));
    QVERIFY(s.window.bench().document().isModified());
    const auto& pins = s.window.bench().document().sheet().pins;
    QCOMPARE(pins.size(), std::size_t{1});
    COMPARE_TEXT(pins[0].name, "power good");
    QCOMPARE(pins[0].level, std::optional(false));
    auto* filter = s.find<QLineEdit>("pinsFilter");
    filter->setFocus();
    QTest::keyClicks(filter, "power");
    auto* list = s.find<QListView>("pinsList");
    QCOMPARE(list->model()->rowCount(), 1);
    QVERIFY(list->model()->index(0, 0).data().toString().startsWith(
        "IO(1), power good, pin 2, 1, the device lets it go, should be 0"));
    // The file has it, and gives it back.
    s.window.bench().document().save();
    const sheet::Sheet again = sheet::readSheet(s.world.path("sheet.imprimo").toStdString());
    QVERIFY(again.pins == pins);
    // Without a name and a level there is nothing to keep.
    filter->clear();
    s.choose("IO(1)");
    name->clear();
    wanted->setCurrentIndex(0);
    emit wanted->activated(0);
    QVERIFY(s.window.bench().document().sheet().pins.empty());
  }

  void aNameStaysWithThePortItWasGivenTo() {
    Stage s({.drives = "", .twins = true});
    QVERIFY(s.untilSampled());
    s.choose("BD");
    auto* name = s.find<QLineEdit>("pinsName");
    name->setFocus();
    QTest::keyClicks(name, "lamp");
    // Chosen at the package, which takes no focus: what was typed belongs to the port before.
    emit s.find<PackageView>("package")->chosen({0, s.at("IO(0)")});
    const auto& pins = s.window.bench().document().sheet().pins;
    QCOMPARE(pins.size(), std::size_t{1});
    COMPARE_TEXT(pins[0].port + "=" + pins[0].name, "BD=lamp");
    QCOMPARE(name->text(), QString());
    // Another device is shown while something is typed: it is nothing of that one's.
    s.choose("IO(1)");
    QTest::keyClicks(name, "half");
    auto* device = s.find<QComboBox>("pinsDevice");
    device->setCurrentIndex(1);
    emit device->activated(1);
    QCOMPARE(s.model().nameOf(s.model().position()), QString("back"));
    QVERIFY(!name->isEnabled());
    s.choose("IO(1)");
    QCOMPARE(name->text(), QString());
    for (const sheet::PinLabel& label : pins) QVERIFY2(label.device == "lark", label.device.c_str());
    // A sheet with fewer devices and ports.
    writeFileAtomically(s.world.path("other.imprimo").toStdString(),
                        R"x({"imprimo": 1, "chain": [{"name": "only", "ir_length": 4}]})x");
    s.window.bench().document().open(s.world.path("other.imprimo"));
    QVERIFY(!s.window.bench().document().isModified());
    QCOMPARE(s.model().position(), std::size_t{0});
  }

  void aSearchEndsWithTheLinkOrARun() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    QTest::keyClick(s.view, Qt::Key_W, Qt::ControlModifier | Qt::ShiftModifier);
    auto* dialog = s.find<WiresDialog>("wiresDialog");
    // cs is not among them, so that all orders are tried.
    dialog->findChild<QLineEdit*>("wiresAmong")->setText("IO(0) IO(1) IO(2) IO(3) IO(5) IO(6) IO(7) SH(0) BD");
    auto* look = dialog->findChild<QPushButton*>("wiresLook");
    QTest::mouseClick(look, Qt::LeftButton);
    QCOMPARE(look->text(), QString("Stop"));
    s.window.bench().link().disconnectProbe();
    QVERIFY(s.until([&] { return look->text() == "Look for them"; }));
    QVERIFY(dialog->findChild<QLabel*>("wiresTried")->text().startsWith("The link was lost"));
    QVERIFY(s.until([&] { return !s.cutsOff(); }));
  }

  void wiresAreFoundAndPutIntoTheSheet() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    QTest::keyClick(s.view, Qt::Key_W, Qt::ControlModifier | Qt::ShiftModifier);
    auto* dialog = s.find<WiresDialog>("wiresDialog");
    QVERIFY(dialog != nullptr && dialog->isVisible());
    auto* among = dialog->findChild<QLineEdit*>("wiresAmong");
    QVERIFY2(among->text().contains("IO(4)") && !among->text().contains("IN_A"), qPrintable(among->text()));
    auto* words = dialog->findChild<QLabel*>("wiresWords");
    auto* put = dialog->findChild<QPushButton*>("wiresPut");
    QCOMPARE(words->text(), QString("Choose a port for cs."));
    QVERIFY(!put->isEnabled());
    auto* memory = dialog->findChild<QComboBox*>("wiresMemory");
    memory->setEditText("found");
    QTest::mouseClick(dialog->findChild<QPushButton*>("wiresLook"), Qt::LeftButton);
    auto* tried = dialog->findChild<QLabel*>("wiresTried");
    QVERIFY(s.until([&] { return tried->text().startsWith("A flash answers 0x7e4015 there; "); }));
    QCOMPARE(dialog->findChild<QComboBox*>("wires-cs")->currentText(), QString("IO(4)"));
    QCOMPARE(dialog->findChild<QComboBox*>("wires-miso")->currentText(), QString("IO(7)"));
    QVERIFY(!s.cutsOff());
    QVERIFY(put->isEnabled());
    QTest::keyClick(dialog, Qt::Key_Return, Qt::ControlModifier);
    const auto& memories = s.window.bench().document().sheet().memories;
    QCOMPARE(memories.size(), std::size_t{2});
    COMPARE_TEXT(memories[1].name, "found");
    QVERIFY(s.window.bench().document().isModified());
    // It is connected to anew, and the memory answers through them.
    QVERIFY(
        s.until([&] { return s.window.bench().link().isConnected() && s.window.bench().link().identity("found"); }));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void wiresAreChosenForAMemoryThatIsDraggedOntoADevice() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    QTest::keyClick(&s.window, Qt::Key_1, Qt::ControlModifier);
    auto* rail = s.window.findChild<ChainRail*>();
    QRect device, memory;
    for (const RailItem& item : rail->layoutOfRail().items) {
      if (item.kind == RailItem::Device && item.position == 2) device = item.rect;
      if (item.kind == RailItem::Memory) memory = item.rect;
    }
    QVERIFY(device.isValid() && memory.isValid());
    QMimeData data;
    data.setData("application/x-imprimo-memory", "boot");
    QDragEnterEvent enter(device.center(), Qt::LinkAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(rail, &enter);
    QVERIFY(enter.isAccepted());
    QDragMoveEvent elsewhere(memory.center(), Qt::LinkAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(rail, &elsewhere);
    QVERIFY(!elsewhere.isAccepted());
    QDropEvent drop(device.center(), Qt::LinkAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(rail, &drop);
    QVERIFY(s.view->isVisible());
    auto* dialog = s.find<WiresDialog>("wiresDialog");
    QVERIFY(dialog != nullptr);
    QCOMPARE(dialog->findChild<QComboBox*>("wiresMemory")->currentText(), QString("boot"));
    const auto type = [&](const char* role, const char* port) {
      auto* box = dialog->findChild<QComboBox*>(role);
      box->setFocus();
      box->lineEdit()->selectAll();
      QTest::keyClicks(box->lineEdit(), port);
    };
    type("wires-cs", "IN_A");
    type("wires-clk", "io(5)");
    type("wires-mosi", "IO(6)");
    type("wires-miso", "IO(7)");
    auto* words = dialog->findChild<QLabel*>("wiresWords");
    QVERIFY2(words->text().startsWith("IN_A cannot be cs: it is an input only"), qPrintable(words->text()));
    // In the list it is grey, with the reason.
    auto* box = dialog->findChild<QComboBox*>("wires-cs");
    const int row = box->findText("IN_A: an input only");
    QVERIFY(row > 0);
    QVERIFY((box->model()->index(row, 0).flags() & Qt::ItemIsEnabled) == 0);
    type("wires-cs", "IO(4)");
    type("wires-wp", "IO(2)");
    QVERIFY2(words->text().startsWith("boot is reached"), qPrintable(words->text()));
    QTest::mouseClick(dialog->findChild<QPushButton*>("wiresPut"), Qt::LeftButton);
    const auto& memories = s.window.bench().document().sheet().memories;
    QCOMPARE(memories.size(), std::size_t{1});
    const auto* route = dynamic_cast<const sheet::PinRoute*>(memories[0].route.get());
    QVERIFY(route != nullptr);
    COMPARE_TEXT(route->wp, "IO(2)");
    COMPARE_TEXT(route->clk, "IO(5)");
  }

  void backgroundWorkWaitsWhilePinsAreDriven() {
    Stage s({.drives = ""});
    QVERIFY(s.untilSampled());
    s.choose("IO(0)");
    for (int i = 0; i < 2; ++i) QTest::mouseClick(s.find<QToolButton>("pinsHigh"), Qt::LeftButton);
    QVERIFY(s.until([&] { return s.cutsOff(); }));
    const auto commands = [&] {
      return s.demo->with([](sim::Bench& bench) { return bench.flash("boot").commandCount(); });
    };
    const std::uint64_t before = commands();
    s.window.bench().session().readInBackground("boot", {{0, 4096}});
    QTest::qWait(400);
    QCOMPARE(commands(), before);
    QVERIFY(s.cutsOff());
    QTest::keyClick(s.view, Qt::Key_Escape);
    QVERIFY(s.until([&] { return commands() > before; }));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void manyPinsAreShownAndReachedByKeys() {
    // 1 500 pins in a grid, each with three cells.
    constexpr int kPins = 1500, kColumns = 40;
    std::string cells, pins;
    for (int i = 0; i < kPins; ++i) {
      cells += fmt::format(
          R"x("{} (BC_2, *, control, 1)," & "{} (BC_1, IO({}), output3, X, {}, 1, Z)," & "{} (BC_1, IO({}), input, X){}" )x",
          3 * i, 3 * i + 1, i, 3 * i, 3 * i + 2, i, i + 1 < kPins ? "," : "");
      cells += i + 1 < kPins ? "& " : "";
      const char row[] = {static_cast<char>('A' + i / kColumns / 10), static_cast<char>('A' + i / kColumns % 10), 0};
      pins += fmt::format("{}{}{}", i == 0 ? "" : ",", row, i % kColumns + 1);
    }
    const std::string bsdl = fmt::format(R"x(entity HERON_G is
  generic (PHYSICAL_PIN_MAP : string := "GRID");
  port (IO : inout bit_vector(0 to {}); TCK, TMS, TDI : in bit; TDO : out bit);
  use STD_1149_1_2001.all;
  attribute PIN_MAP of HERON_G : entity is PHYSICAL_PIN_MAP;
  constant GRID : PIN_MAP_STRING := "IO : ({})";
  attribute TAP_SCAN_IN of TDI : signal is true;
  attribute TAP_SCAN_MODE of TMS : signal is true;
  attribute TAP_SCAN_OUT of TDO : signal is true;
  attribute TAP_SCAN_CLOCK of TCK : signal is (20.0e6, BOTH);
  attribute INSTRUCTION_LENGTH of HERON_G : entity is 5;
  attribute INSTRUCTION_OPCODE of HERON_G : entity is "BYPASS (11111)," & "EXTEST (00100)," & "SAMPLE (00010)," & "PRELOAD (00011)," & "IDCODE (00001)";
  attribute INSTRUCTION_CAPTURE of HERON_G : entity is "00001";
  attribute IDCODE_REGISTER of HERON_G : entity is "XXXX" & "1100011001110000" & "11111111110" & "1";
  attribute BOUNDARY_LENGTH of HERON_G : entity is {};
  attribute BOUNDARY_REGISTER of HERON_G : entity is {};
end HERON_G;
)x",
                                         kPins - 1, pins, 3 * kPins, cells);
    Stage s({.bsdl = bsdl, .cells = 3 * kPins});
    QCOMPARE(s.model().ports().ports.size(), std::size_t{kPins});
    QVERIFY(s.untilSampled());
    auto* list = s.find<QListView>("pinsList");
    list->setFocus();
    QTest::keyClick(list, Qt::Key_End);
    QCOMPARE(list->currentIndex().row(), kPins - 1);
    const QString last = list->currentIndex().data(Qt::AccessibleTextRole).toString();
    QVERIFY2(last.startsWith("IO(1499), pin DH20, 1"), qPrintable(last));
    for (int i = 0; i < 20; ++i) QTest::keyClick(list, Qt::Key_PageUp);
    QVERIFY(list->currentIndex().row() < kPins - 100);
    // It goes on being sampled and painted meanwhile.
    int painted = 0;
    connect(&s.model(), &PinsModel::sampled, this, [&] { ++painted; });
    QVERIFY(s.until([&] { return painted >= 10; }));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }
};

IMPRIMO_TEST(PinsWorkTest);
#include "tst_pins_work.moc"
