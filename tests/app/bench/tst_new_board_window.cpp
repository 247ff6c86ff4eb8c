// SPDX-License-Identifier: GPL-3.0-or-later
//
// From nothing to a written and proven memory, in the real window, by keys alone and by the mouse alone.
#include <QLabel>
#include <QLineEdit>
#include <QMenu>

#include "app/bench/adding_page.h"
#include "app/bench/sector_map.h"
#include "app/rail/chain_rail.h"
#include "app/shell/probe_panel.h"
#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/store/folders.h"
#include "core/store/user_library.h"
#include "tests/app/keyboard.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// A window with nothing open, and the demo's bench, whose descriptions are in a library or not.
struct NewBoard {
  explicit NewBoard(const QStringList& library, const std::function<void(nlohmann::ordered_json&)>& change = {}) {
    copyFolder(IMPRIMO_DEMO, folder.path());
    if (change) {
      Stage::change(folder.filePath("bench.json"), [&](QString& text) {
        auto bench = nlohmann::ordered_json::parse(text.toStdString());
        change(bench);
        text = QString::fromStdString(bench.dump());
      });
    }
    std::filesystem::remove_all(store::dataFolder());
    for (const QString& file : library) store::addDescription(folder.filePath(file).toStdString());
    demo = std::make_unique<DemoBench>(folder.filePath("bench.json").toStdString(), false);
    window.resize(1280, 800);
    window.show();
    window.activateWindow();
    [[maybe_unused]] const bool active = QTest::qWaitForWindowActive(&window);
  }
  ~NewBoard() { std::filesystem::remove_all(store::dataFolder()); }

  void key(int key, Qt::KeyboardModifiers modifiers = Qt::NoModifier, QWidget* to = nullptr) {
    ++actions;
    QTest::keyClick(to != nullptr                            ? to
                    : QApplication::focusWidget() != nullptr ? QApplication::focusWidget()
                                                             : &window,
                    static_cast<Qt::Key>(key), modifiers);
    // Which window has them behind a dialog is said by a window manager, and there is none here.
    QVERIFY2(QApplication::activeWindow() == nullptr || (keysAt() != nullptr && keysAt()->isVisible()),
             qPrintable(QKeySequence(key | modifiers).toString()));
  }
  /// Typing a name or a path counts as one.
  void type(QLineEdit* line, const QString& text) {
    ++actions;
    line->clear();
    QTest::keyClicks(line, text);
  }
  void click(QWidget* widget, QPoint at = {}) {
    ++actions;
    QTest::mouseClick(widget, Qt::LeftButton, {}, at.isNull() ? widget->rect().center() : at);
  }
  ChainRail* rail() { return window.findChild<ChainRail*>("chainRail"); }
  OfferList* offers() { return window.findChild<OfferList*>("offers"); }
  const RailItem& item(const QString& title) {
    static RailItem copy;
    for (const RailItem& each : rail()->layoutOfRail().items) {
      if (each.title == title) copy = each;
    }
    return copy;
  }
  bool isReady() {
    return QTest::qWaitFor([&] { return window.bench().link().isConnected() && !window.bench().library().isBusy(); },
                           kPatience);
  }
  const sheet::Sheet& sheet() { return window.bench().document().sheet(); }

  QTemporaryDir folder;
  std::unique_ptr<DemoBench> demo;
  MainWindow window{viewTable()};
  int actions = 0;
};

enum class Hand { Keys, Mouse };

void byEitherHand() {
  QTest::addColumn<Hand>("hand");
  QTest::newRow("keys") << Hand::Keys;
  QTest::newRow("mouse") << Hand::Mouse;
}

/// Tab until the focus is there, and Space.
void pressByKeys(NewBoard& b, QWidget* button) {
  for (int i = 0; i < 60 && QApplication::focusWidget() != button; ++i) b.key(Qt::Key_Tab);
  QCOMPARE(QApplication::focusWidget(), button);
  b.key(Qt::Key_Space);
}

/// A file goes in, what will happen is known, and the button is pressed.
void write(NewBoard& b, const char* file, Hand hand) {
  b.window.bench().addFile(b.folder.filePath(file));
  ++b.actions;
  RunModel& run = b.window.bench().run();
  QTRY_VERIFY_WITH_TIMEOUT(run.plan() && run.plan()->complete && b.window.bench().goAction->isEnabled(), kPatience);
  if (hand == Hand::Keys) {
    b.key(Qt::Key_Return, Qt::ControlModifier);
  } else {
    b.click(b.window.findChild<QPushButton*>("go"));
  }
  QTRY_VERIFY_WITH_TIMEOUT(run.record() != nullptr, kPatience);
  QVERIFY2(run.record()->good(), run.record()->message.c_str());
}

/// From a probe's address to a device of the rail that is looked at.
void explore(NewBoard& b, const QString& device, Hand hand) {
  b.window.bench().session().setSystemRoot({});
  if (hand == Hand::Keys) {
    b.key(Qt::Key_N, Qt::ControlModifier, &b.window);
  } else {
    b.click(b.window.findChild<QAbstractButton*>("startFromConnected"));
  }
  auto* panel = b.window.findChild<ProbePanel*>("probePanel");
  auto* address = panel->findChild<QLineEdit*>("probeAddress");
  b.type(address, QString::fromStdString(b.demo->address()));
  if (hand == Hand::Keys) {
    b.key(Qt::Key_Return, {}, address);
  } else {
    b.click(panel->findChild<QPushButton*>("useAddress"));
  }
  QVERIFY(b.isReady());
  if (hand == Hand::Mouse) {
    b.click(b.rail(), b.item(device).rect.center());
  } else {
    b.window.activateWindow();
    QTRY_VERIFY_WITH_TIMEOUT(b.rail()->hasFocus(), kPatience);
    for (int i = 0; i < 20 && b.rail()->current()->title != device; ++i) b.key(Qt::Key_Down);
  }
  QCOMPARE(b.rail()->current()->title, device);
}

/// The ways to a memory behind the device that is looked at.
void askForMemory(NewBoard& b, Hand hand) {
  if (hand == Hand::Mouse) return b.click(b.rail(), b.item("+ a memory behind it").rect.center());
  b.key(Qt::Key_Down);
  QCOMPARE(b.rail()->current()->kind, RailItem::Add);
  b.key(Qt::Key_Return);
}

/// The first of them.
void takeFirst(NewBoard& b, Hand hand) {
  if (hand == Hand::Mouse) return b.click(b.window.findChild<QPushButton*>("addMemory"));
  b.key(Qt::Key_Return);
}

/// From the way to a bridge that is loaded.
void takeBridge(NewBoard& b, Hand hand) {
  Workbench& bench = b.window.bench();
  QTRY_COMPARE_WITH_TIMEOUT(bench.ways().offers().at(0).state, WayModel::Offer::State::NeedsLoading, kPatience);
  takeFirst(b, hand);
  QVERIFY(b.isReady());
  QCOMPARE(b.sheet().memories.size(), 1U);
  QTRY_VERIFY_WITH_TIMEOUT(bench.neededBridge().has_value(), kPatience);
  if (hand == Hand::Keys) {
    b.key(Qt::Key_Return, Qt::ControlModifier);
  } else {
    b.click(b.window.findChild<QPushButton*>("loadBridge"));
  }
  QTRY_VERIFY2_WITH_TIMEOUT(!bench.run().isRunning() && !bench.neededBridge(),
                            bench.run().record() ? bench.run().record()->message.c_str() : "no record", kPatience);
}

const QStringList kWholeLibrary{"parts/wren_c64.bsd",          "parts/tarn_t40.bsd",         "parts/beck_k0.bsd",
                                "parts/tarn_configure.json",   "cores/tarn_t40_bridge.json", "parts/quill_q64.json",
                                "supervisor/beck_k0_core.json"};

}  // namespace

class NewBoardWindowTest : public QObject {
  Q_OBJECT
 private slots:
  void fromNothingToAConfirmedFlash_data() { byEitherHand(); }
  void fromNothingToAConfirmedFlash() {
    QFETCH(const Hand, hand);
    NewBoard b(kWholeLibrary);
    explore(b, "tarn-t40", hand);
    QCOMPARE(b.sheet().chain.size(), 3U);
    askForMemory(b, hand);
    takeBridge(b, hand);  // what the library proposes
    write(b, "echo_correlator.bin", hand);
    QVERIFY2(b.actions <= 12, qPrintable(QString::number(b.actions)));
  }

  void oneDeviceAndEightDevices_data() {
    QTest::addColumn<int>("devices");
    QTest::addColumn<Hand>("hand");
    for (const int devices : {1, 8}) {
      QTest::addRow("%d by keys", devices) << devices << Hand::Keys;
      QTest::addRow("%d by mouse", devices) << devices << Hand::Mouse;
    }
  }
  void oneDeviceAndEightDevices() {
    QFETCH(const int, devices);
    QFETCH(const Hand, hand);
    // Those beside the FPGA have no description, and are passed by.
    NewBoard b({"parts/tarn_t40.bsd", "parts/tarn_configure.json", "cores/tarn_t40_bridge.json"},
               [&](nlohmann::ordered_json& bench) {
                 bench["nets"] = nlohmann::ordered_json::array();
                 const auto fpga = bench["chain"][1];
                 bench["chain"] = nlohmann::ordered_json::array();
                 for (int i = 1; i < devices; ++i) {
                   bench["chain"].push_back({{"name", "other" + std::to_string(i)},
                                             {"ir_length", 3 + i},
                                             {"ir_capture", std::string(static_cast<std::size_t>(2 + i), '0') + "1"},
                                             {"idcode", "0x0A10" + std::to_string(i) + "FFD"}});
                 }
                 bench["chain"].insert(bench["chain"].begin() + (devices > 1 ? 3 : 0), fpga);
               });
    explore(b, "tarn-t40", hand);
    QCOMPARE(b.sheet().chain.size(), static_cast<std::size_t>(devices));
    askForMemory(b, hand);
    takeBridge(b, hand);
    write(b, "gauge_cal.hex", hand);
  }

  void aMemoryBehindPins_data() { byEitherHand(); }
  void aMemoryBehindPins() {
    QFETCH(const Hand, hand);
    NewBoard b({"parts/wren_c64.bsd"});
    explore(b, "wren-c64", hand);
    askForMemory(b, hand);
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().ways().offers().at(0).way.kind, discover::Way::Kind::Pins, kPatience);
    takeFirst(b, hand);
    QTRY_VERIFY_WITH_TIMEOUT(b.window.findChild<QDialog*>("wiresDialog") != nullptr, kPatience);
    auto* dialog = b.window.findChild<QDialog*>("wiresDialog");
    const auto press = [&](const char* name) {
      auto* button = dialog->findChild<QPushButton*>(name);
      if (hand == Hand::Mouse) return b.click(button);
      pressByKeys(b, button);
    };
    QApplication::setActiveWindow(dialog);  // which a window manager does
    QTRY_COMPARE_WITH_TIMEOUT(QApplication::activeWindow(), dialog, kPatience);
    press("wiresLook");
    QTRY_VERIFY_WITH_TIMEOUT(dialog->findChild<QLabel*>("wiresTried")->text().startsWith("A flash answers"), kPatience);
    press("wiresPut");
    QVERIFY(b.isReady());
    QCOMPARE(b.sheet().memories.size(), 1U);
    QCOMPARE(b.sheet().memories[0].name, std::string("flash"));
    b.window.bench().selectMemory("flash");
    QTRY_VERIFY_WITH_TIMEOUT(b.window.bench().identity() != nullptr, kPatience);
    b.window.activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(&b.window));
    QTest::keyClick(&b.window, Qt::Key_1, Qt::ControlModifier);
    QCOMPARE(b.window.bench().identity()->geometry.size, 2U << 20);
    writeFileAtomically(b.folder.filePath("small.bin").toStdString(), std::string(600, 'g'));
    write(b, "small.bin", hand);
  }

  void aMemoryOfACore_data() { byEitherHand(); }
  void aMemoryOfACore() {
    QFETCH(const Hand, hand);
    NewBoard b({"parts/beck_k0.bsd", "supervisor/beck_k0_core.json"});
    explore(b, "beck-k0", hand);
    askForMemory(b, hand);
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().ways().offers().at(0).state, WayModel::Offer::State::Answers, kPatience);
    QCOMPARE(b.window.bench().ways().offers().at(0).way.title, std::string("program of its core"));
    takeFirst(b, hand);
    QVERIFY(b.isReady());
    QCOMPARE(b.sheet().cores.size(), 1U);
    QCOMPARE(b.sheet().memories.at(0).type, std::string("core-flash"));
    QTRY_VERIFY_WITH_TIMEOUT(b.window.bench().identity() != nullptr, kPatience);
    write(b, "supervisor.elf", hand);
    QVERIFY2(b.actions <= 14, qPrintable(QString::number(b.actions)));
  }

  void whatTwoDescriptionsFitIsAsked() {
    NewBoard b({"parts/tarn_t40.bsd", "parts/beck_k0.bsd"});
    const std::string other =
        QString::fromStdString(readTextFile(b.folder.filePath("parts/tarn_t40.bsd").toStdString()))
            .replace("TARN_T40", "TARN_T41")
            .replace("\"FABRIC_B", "\"FABRIC_C")
            .replace("FABRIC_A, FABRIC_B", "FABRIC_A, FABRIC_C")
            .toStdString();
    writeFileAtomically(b.folder.filePath("tarn_t41.bsd").toStdString(), other);
    store::addDescription(b.folder.filePath("tarn_t41.bsd").toStdString());
    b.window.bench().session().explore(QString::fromStdString(b.demo->address()));
    QVERIFY(b.isReady());
    QTRY_COMPARE_WITH_TIMEOUT(b.item("device-2").needs, QString("2 BSDL files fit: choose one"), kPatience);
    b.click(b.rail(), b.item("device-2").needsRect.center());
    auto* menu = b.rail()->findChild<QMenu*>("deviceMenu");
    QVERIFY(menu != nullptr);
    QCOMPARE(menu->actions().at(2)->text(), QString("It is TARN_T41 (tarn_t41.bsd)"));
    menu->actions().at(2)->trigger();
    menu->close();
    QCOMPARE(b.sheet().chain[1].name, std::string("tarn-t41"));
    QVERIFY(b.isReady());
  }

  void keptRangesAreMarkedAndTyped() {
    Stage s;
    s.window.activateWindow();
    auto* map = s.find<SectorMap>("sectorMap");
    const auto& sheet = s.window.bench().document().sheet();
    QVERIFY(s.untilPlanned());
    s.window.bench().cursor().jumpTo(0x200000);
    map->setFocus();
    QTest::keyClick(map, Qt::Key_Right, Qt::ShiftModifier);
    QTest::keyClick(map, Qt::Key_Return);
    QCOMPARE(sheet.keep.size(), 2U);
    QCOMPARE(sheet.keep[1].range.begin, 0x200000U);
    auto line = [&] { return s.find<QLineEdit>("keepMore"); };
    QTRY_VERIFY_WITH_TIMEOUT(line() != nullptr, kPatience);
    line()->setText("0x300000..");
    QTest::keyClick(line(), Qt::Key_Return);
    QCOMPARE(sheet.keep.size(), 2U);  // no range
    line()->setText("0x300000+4K");
    QTest::keyClick(line(), Qt::Key_Return);
    QCOMPARE(sheet.keep.size(), 3U);
    QCOMPARE(sheet.keptIn("boot-flash")[2].end, 0x301000U);
    QTRY_COMPARE_WITH_TIMEOUT(s.window.findChildren<QToolButton*>("removeKept").size(), 3, kPatience);
    s.window.findChildren<QToolButton*>("removeKept")[1]->click();
    QCOMPARE(sheet.keep.size(), 2U);
    s.window.bench().undoAction->trigger();
    QCOMPARE(sheet.keep.size(), 3U);
  }

  void aWrapperCardThatFitsIsTaken() {
    NewBoard b({"parts/tarn_wrapper.json"});
    b.window.bench().keeping().open(b.folder.filePath("gauge-rev-b.imprimo"));
    b.window.bench().library().refresh();
    QTRY_VERIFY_WITH_TIMEOUT(!b.window.bench().library().isBusy(), kPatience);
    b.window.bench().addFile(b.folder.filePath("next/echo_correlator.tarn"));
    QTRY_COMPARE_WITH_TIMEOUT(b.sheet().placements.size(), 4U, kPatience);
    QVERIFY(b.sheet().placements.back().wrapper.ends_with("tarn_wrapper.json"));
  }

  void aDeviceWithoutADescriptionSaysWhatItNeeds() {
    NewBoard b({"parts/tarn_t40.bsd", "parts/beck_k0.bsd"});
    b.window.bench().session().explore(QString::fromStdString(b.demo->address()));
    QVERIFY(b.isReady());
    QCOMPARE(b.sheet().chain.size(), 3U);
    // The others say how long it is.
    QVERIFY(!b.sheet().chain[0].lengthAssumed);
    QCOMPARE(b.sheet().chain[0].irLength, 8U);
    QCOMPARE(b.item("device-1").needs, QString("drop its BSDL file here; without it, it is only passed by"));
    QVERIFY(!b.item("device-1").needsLength);
    // A description of another device says what differs, in place, and its own one ends it.
    QVERIFY(!b.window.bench().needs().describe(1, b.folder.filePath("parts/beck_k0.bsd")));
    QVERIFY(b.item("device-1").needsWrong);
    QVERIFY2(b.item("device-1").needs.contains("BECK_K0"), qPrintable(b.item("device-1").needs));
    QVERIFY(b.window.bench().needs().describe(1, b.folder.filePath("parts/wren_c64.bsd")));
    QVERIFY(b.isReady());
    QCOMPARE(b.sheet().chain[0].name, std::string("wren-c64"));
    QVERIFY(b.item("wren-c64").needs.isEmpty());
    // It is one step, like everything.
    b.window.bench().undoAction->trigger();
    QCOMPARE(b.sheet().chain[0].name, std::string("device-1"));
    b.window.bench().redoAction->trigger();
    QCOMPARE(b.sheet().chain[0].name, std::string("wren-c64"));
  }

  void aLengthIsTypedWhereThatIsEnough() {
    NewBoard b({});
    b.window.bench().session().explore(QString::fromStdString(b.demo->address()));
    QVERIFY(b.isReady());
    QVERIFY(b.sheet().chain[0].lengthAssumed && b.sheet().chain[1].lengthAssumed);
    QVERIFY(b.item("device-1").needsLength);
    ChainRail* rail = b.rail();
    b.click(rail, b.item("device-1").lengthRect.center());
    auto* edit = rail->findChild<QLineEdit*>("railEdit");
    QVERIFY(edit->isVisible());
    b.type(edit, "3000");
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(edit->isVisible());  // not taken
    QVERIFY(b.item("device-1").needsWrong);
    b.type(edit, "8");
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(b.isReady());
    QVERIFY(!b.sheet().chain[0].lengthAssumed);
    QCOMPARE(b.sheet().chain[0].irLength, 8U);
    std::uint32_t sum = 0;
    for (const sheet::Device& device : b.sheet().chain) sum += device.irLength;
    QCOMPARE(sum, 18U);
    // A folder that is dropped is looked through for all of them at once.
    b.window.bench().library().add({b.folder.filePath("parts")});
    QTRY_VERIFY_WITH_TIMEOUT(b.sheet().chain[1].description != nullptr && b.sheet().chain[2].description != nullptr,
                             kPatience);
    QVERIFY(b.isReady());
    QCOMPARE(b.sheet().chain[2].name, std::string("beck-k0"));
  }

  void namesAndOrderAreChangedOnTheRail() {
    Stage s;
    auto* rail = s.find<ChainRail>("chainRail");
    rail->setFocus();
    while (rail->current()->title != "correlator") QTest::keyClick(rail, Qt::Key_Up);
    QTest::keyClick(rail, Qt::Key_F2);
    auto* edit = rail->findChild<QLineEdit*>("railEdit");
    QVERIFY(edit->isVisible());
    edit->setText("sequencer");
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(edit->isVisible());  // the name is taken
    edit->setText("fpga");
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(!edit->isVisible());
    const auto& document = s.window.bench().document();
    QCOMPARE(document.sheet().chain[1].name, std::string("fpga"));
    QCOMPARE(document.sheet().memories[0].route->position, 2U);
    QTRY_VERIFY_WITH_TIMEOUT(s.window.bench().link().isConnected(), kPatience);
    QTest::keyClick(rail, Qt::Key_Up, Qt::AltModifier);
    QCOMPARE(document.sheet().chain[0].name, std::string("fpga"));
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().link().state(), LinkState::Mismatch, kPatience);
    s.window.bench().undoAction->trigger();
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().link().state(), LinkState::Connected, kPatience);
    while (rail->current()->title != "sequencer") QTest::keyClick(rail, Qt::Key_Up);
    QTest::keyClick(rail, Qt::Key_Delete);
    QCOMPARE(document.sheet().chain.size(), 2U);
    QVERIFY(document.sheet().configurations.empty());
    s.window.bench().undoAction->trigger();
    QCOMPARE(document.sheet().configurations.size(), 1U);
  }
};

IMPRIMO_TEST(NewBoardWindowTest);
#include "tst_new_board_window.moc"
