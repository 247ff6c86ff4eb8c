// SPDX-License-Identifier: GPL-3.0-or-later
//
// The probe panel, the rail and the link evidence, by mouse and keys.
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTimer>
#include <filesystem>

#include "app/bench/link_panel.h"
#include "app/rail/chain_rail.h"
#include "app/shell/demo_bench.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/store/user_library.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {

constexpr int kPatience = 20'000;

/// A window with the river gauge's sheet, and its bench with faults.
struct Board {
  explicit Board(const std::string& faults, bool connect = true) {
    const QTemporaryDir& f = folder;
    std::filesystem::copy(IMPRIMO_DEMO, f.path().toStdString(),
                          std::filesystem::copy_options::recursive | std::filesystem::copy_options::overwrite_existing);
    std::string text = readTextFile(f.filePath("bench.json").toStdString());
    if (!faults.empty()) text.insert(text.find('{') + 1, "\"faults\": [" + faults + "],");
    bench = sim::parseBench(text, f.filePath("bench.json").toStdString());
    server = std::make_unique<sim::BenchServer>(*bench, sim::ServerOptions{});
    window.show();
    window.bench().keeping().open(f.filePath("gauge-rev-b.imprimo"));
    if (connect) window.bench().link().connectTo(QString::fromStdString(server->address()));
  }
  template <typename T>
  T* find(const char* name) {
    return window.findChild<T*>(name);
  }
  ChainRail* rail() { return find<ChainRail>("chainRail"); }
  const RailItem& device(std::size_t position) {
    for (const RailItem& item : rail()->layoutOfRail().items) {
      if (item.kind == RailItem::Device && item.position == position) return item;
    }
    throw std::out_of_range("no such part on the rail");
  }

  QTemporaryDir folder;
  std::unique_ptr<sim::Bench> bench;
  std::unique_ptr<sim::BenchServer> server;
  MainWindow window{viewTable()};
};

}  // namespace

class ProbesTest : public QObject {
  Q_OBJECT
 private slots:
  void thePanelSaysWhatKeepsEachProbe() {
    UsbTree tree;
    tree.addDap("1-1", "GAUGE-7", "River gauge probe");
    tree.addEngine("1-2", "", "Two-channel adapter", "ftdi_sio");
    tree.addDap("1-4", "GAUGE-9", "Old probe");
    tree.lock("1-4");
    Board b("", false);
    b.window.bench().session().setSystemRoot(tree.root());
    QVERIFY(QTest::qWaitForWindowActive(&b.window));
    QTest::keyClick(&b.window, Qt::Key_K, Qt::ControlModifier);
    auto* panel = b.find<ProbePanel>("probePanel");
    QTRY_COMPARE_WITH_TIMEOUT(panel->findChildren<QLabel*>("probeState").size(), 3, kPatience);
    QStringList states;
    for (const auto* label : panel->findChildren<QLabel*>("probeState")) states += label->text();
    QCOMPARE(states[0], QString("●  Ready, JTAG, SWD, 0.3 ms round trip"));
    QCOMPARE(states[1], QString("○  Claimed by the kernel's serial driver ftdi_sio as /dev/ttyUSB0"));
    QCOMPARE(states[2], QString("○  No permission for /dev/bus/usb/001/014"));
    QVERIFY(panel->findChild<QPushButton*>("releaseProbe") != nullptr);
    QVERIFY(panel->findChild<QPushButton*>("installRule") != nullptr);
    // Keys alone: up from the address line to a button, and Escape away.
    QVERIFY(panel->findChild<QLineEdit*>("probeAddress")->hasFocus() || panel->focusWidget() != nullptr);
    QTest::keyClick(panel, Qt::Key_Up);
    auto* focused = qobject_cast<QPushButton*>(panel->focusWidget());
    QVERIFY(focused != nullptr);
    QTest::keyClick(panel, Qt::Key_Escape);
    QVERIFY(!panel->isVisible());
  }

  void withoutUsbItSaysSoAndAnAddressConnects() {
    UsbTree tree;
    tree.removeUsb();
    tree.makeVirtual("Made-up Machine 9");
    Board b("", false);
    b.window.bench().session().setSystemRoot(tree.root());
    b.find<QAction>("connect")->trigger();
    auto* panel = b.find<ProbePanel>("probePanel");
    auto* note = panel->findChild<QLabel*>("probeNote");
    QTRY_VERIFY_WITH_TIMEOUT(note->text().contains("This machine has no USB (Made-up Machine 9)"), kPatience);
    auto* address = panel->findChild<QLineEdit*>("probeAddress");
    address->clear();
    QTest::keyClicks(address, QString::fromStdString(b.server->address()));
    QTest::keyClick(address, Qt::Key_Return);
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().link().state(), LinkState::Connected, kPatience);
    // What was used is offered next time, and F5 connects again.
    b.find<QAction>("connect")->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(panel->findChild<QPushButton*>("recentProbe") != nullptr, kPatience);
    QCOMPARE(panel->findChild<QPushButton*>("recentProbe")->text(), QString::fromStdString(b.server->address()));
    panel->hide();
    QTest::keyClick(&b.window, Qt::Key_F5);
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().link().state(), LinkState::Connected, kPatience);
  }

  void aCutIsShownWhereItIs() {
    Board b(R"({"kind": "cut", "after": 1})");
    QTRY_VERIFY_WITH_TIMEOUT(b.window.bench().link().report() && b.window.bench().link().report()->broken, kPatience);
    QCOMPARE(b.device(1).state, RailItem::Silent);
    QCOMPARE(b.device(2).state, RailItem::Agrees);
    QCOMPARE(b.device(2).detail, QString("0x1f40affd  answers"));
    const RailLayout& rail = b.rail()->layoutOfRail();
    QVERIFY(rail.cutAt && *rail.cutAt >= b.device(1).rect.bottom() && *rail.cutAt < b.device(2).rect.top());
    QVERIFY(b.find<QLabel>("linkWords")
                ->text()
                .startsWith("The chain is cut between part 1 (sequencer) and part 2 (correlator)"));
  }

  void theRailWorksByKeys() {
    Board b("");
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().link().state(), LinkState::Connected, kPatience);
    ChainRail* rail = b.rail();
    rail->setFocus();
    QTest::keyClick(rail, Qt::Key_Up);
    QTest::keyClick(rail, Qt::Key_Up);
    QCOMPARE(rail->current()->title, QString("sequencer"));
    QTest::keyClick(rail, Qt::Key_Up);
    QCOMPARE(rail->current()->title, QString("sequencer"));
    QTest::keyClick(rail, Qt::Key_Return);
    auto* menu = rail->findChild<QMenu*>("deviceMenu");
    QVERIFY(menu != nullptr && menu->isVisible());
    QCOMPARE(menu->actions().front()->text(), QString("Open its BSDL file…"));
    menu->close();
    for (int i = 0; i < 9; ++i) QTest::keyClick(rail, Qt::Key_Down);
    QCOMPARE(rail->current()->title, QString("+ a memory behind it"));
    QTest::keyClick(rail, Qt::Key_Up);
    QCOMPARE(rail->current()->title, QString("supervisor"));
  }

  void aDescriptionIsOpenedFromAPart() {
    Board b("", false);
    const std::string path = b.folder.filePath("gauge-rev-b.imprimo").toStdString();
    std::string text = readTextFile(path);
    const std::string named = R"("bsdl": "parts/wren_c64.bsd")";
    text.replace(text.find(named), named.size(), R"("ir_length": 8, "idcode": "0x0c64affd")");
    writeFileAtomically(path, text);
    QVERIFY(b.window.bench().keeping().open(QString::fromStdString(path)));
    b.window.bench().link().connectTo(QString::fromStdString(b.server->address()));
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().link().state(), LinkState::Connected, kPatience);
    QVERIFY(b.window.bench().link().report()->chain.devices[0].name.empty());
    // Another part's file is refused and changes nothing.
    QVERIFY(!b.window.bench().link().describeDevice(1, b.folder.filePath("parts/beck_k0.bsd")));
    QVERIFY(!b.window.bench().document().isModified());
    QVERIFY(b.window.bench().link().describeDevice(1, b.folder.filePath("parts/wren_c64.bsd")));
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().link().state(), LinkState::Connected, kPatience);
    COMPARE_TEXT(b.window.bench().link().report()->chain.devices[0].name, "WREN_C64");
    b.window.bench().keeping().save();
    VERIFY_CONTAINS(readTextFile(path), R"("bsdl": "parts/wren_c64.bsd")");
  }

  void whereSeveralDescriptionsFitTheUserIsAskedAndTheSheetRemembers() {
    Board b("", false);
    const auto library = store::libraryFolder();
    std::filesystem::create_directories(library);
    for (const char* name : {"wren_c64", "tarn_t40", "beck_k0"}) {
      store::addToLibrary(b.folder.filePath(QString("parts/%1.bsd").arg(name)).toStdString());
    }
    std::string other = readTextFile((library / "tarn_t40.bsd").string());
    const std::string code = "FABRIC_B (010111)";
    other.replace(other.find(code), code.size(), "FABRIC_B (011111)");
    for (std::size_t at = 0; (at = other.find("TARN_T40", at)) != std::string::npos; at += 9) other.insert(at + 8, "S");
    writeFileAtomically(library / "tarn_t40s.bsd", other);
    MainWindow fresh{viewTable()};
    fresh.show();
    fresh.findChild<QAction*>("start")->trigger();
    auto* address = fresh.findChild<QLineEdit*>("probeAddress");
    address->setText(QString::fromStdString(b.server->address()));
    QTest::keyClick(address, Qt::Key_Return);
    QTRY_COMPARE_WITH_TIMEOUT(fresh.bench().link().state(), LinkState::Connected, kPatience);
    QTRY_VERIFY_WITH_TIMEOUT(!fresh.bench().library().isBusy(), kPatience);
    const auto fitting = fresh.bench().needs().of(2).fitting;
    QCOMPARE(fitting.size(), 2U);
    QVERIFY(fresh.bench().needs().describe(2, QString::fromStdString(fitting[1].file.string())));
    QTRY_COMPARE_WITH_TIMEOUT(fresh.bench().link().state(), LinkState::Connected, kPatience);
    COMPARE_TEXT(fresh.bench().document().sheet().chain[1].description->entity, "TARN_T40S");
    QCOMPARE(fresh.bench().document().sheet().chain[1].idcodes[0].mask, 0x0FFFFFFFu);
    std::filesystem::remove_all(library);
  }

  void theFastestClockIsFoundAndUsedWithOneClick() {
    Board b(R"({"kind": "tdo-noise", "above": 13000000, "rate": 0.004})");
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().link().state(), LinkState::Connected, kPatience);
    QVERIFY(!b.find<ClockPlot>("clockPlot")->isVisible());
    QTest::mouseClick(b.find<QPushButton>("findClockButton"), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(b.window.bench().clock().found().has_value(), kPatience);
    QVERIFY(b.find<ClockPlot>("clockPlot")->isVisible());
    QCOMPARE(b.find<QPushButton>("useClockButton")->text(), QString("Use 12 MHz"));
    QVERIFY(b.find<QLabel>("clockWords")->text().startsWith("The first errors are at 15 MHz"));
    QTest::mouseClick(b.find<QPushButton>("useClockButton"), Qt::LeftButton);
    QCOMPARE(b.window.bench().document().sheet().clockHz, std::optional<std::uint32_t>{12'000'000});
    QVERIFY(!b.find<QPushButton>("useClockButton")->isVisible());
    QVERIFY(b.window.bench().document().isModified());
  }

  void itWaitsForATargetThatGetsItsPowerLate() {
    Board b(R"({"kind": "late-power", "seconds": 3})");
    QTRY_VERIFY_WITH_TIMEOUT(b.window.bench().link().report() && b.window.bench().link().report()->broken, kPatience);
    QVERIFY(b.find<QLabel>("linkWords")->text().contains("no power, no cable, or held in reset"));
    QTest::mouseClick(b.find<QPushButton>("waitButton"), Qt::LeftButton);
    QTRY_COMPARE_WITH_TIMEOUT(b.window.bench().link().state(), LinkState::Connected, kPatience);
  }

  void waitingCanBeStopped() {
    Board b(R"({"kind": "no-power"})");
    QTRY_VERIFY_WITH_TIMEOUT(b.window.bench().link().report() && b.window.bench().link().report()->broken, kPatience);
    b.window.bench().session().connectTo(QString::fromStdString(b.server->address()),
                                         b.window.bench().document().sheet(), 3600);
    QTRY_VERIFY_WITH_TIMEOUT(
        b.window.bench().link().waitLeft().has_value() || b.window.bench().link().state() != LinkState::Connecting,
        kPatience);
    QVERIFY(b.window.bench().disconnectAction->isEnabled());
    b.window.bench().disconnectAction->trigger();
    QCOMPARE(b.window.bench().link().state(), LinkState::NotConnected);
    QVERIFY(!b.window.bench().link().waitLeft());
  }
};
IMPRIMO_TEST(ProbesTest);
#include "tst_probes.moc"
