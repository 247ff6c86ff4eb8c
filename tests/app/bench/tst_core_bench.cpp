// SPDX-License-Identifier: GPL-3.0-or-later
//
// A board with nothing but a core on SWD, in the window: the rail, the map, a run and what it leaves.
#include <QClipboard>
#include <QDialogButtonBox>
#include <QDir>
#include <QDropEvent>
#include <QFileDialog>
#include <QLineEdit>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QTimer>

#include "app/bench/byte_zip.h"
#include "app/bench/core_findings.h"
#include "app/bench/core_lock_card.h"
#include "app/rail/chain_rail.h"
#include "app/rail/rail_items.h"
#include "app/shell/chip_dialog.h"
#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "tests/app/float_stage.h"
#include "tests/support/core_world.h"
#include "tests/support/pack_maker.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

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

  /// A locked core says so, offers what opens it, and asks once with what it destroys in the button.
  void aLockedCoreIsOpenedByItsButton() {
    FloatStage s([](const QString& folder) {
      const auto change = [&](const char* name, const char* was, const char* is) {
        QString text = QString::fromStdString(readTextFile((folder + "/" + name).toStdString()));
        text.replace(was, is);
        writeFileAtomically((folder + "/" + name).toStdString(), text.toStdString());
      };
      change("bench.json", "\"locked\": false", "\"locked\": true");
    });
    auto* card = s.window.findChild<CoreLockCard*>();
    QVERIFY(!card->isVisible());
    QVERIFY(s.connect());
    QVERIFY(card->isVisible());
    QVERIFY(layOutRail(s.window.bench()).items[0].right.contains("locked"));
    QCOMPARE(layOutRail(s.window.bench()).items[1].trouble, QString("closed"));
    auto* unlock = s.window.findChild<QPushButton*>("unlock");
    auto* destroy = s.window.findChild<QPushButton*>("unlockDestroy");
    auto* leave = s.window.findChild<QPushButton*>("unlockLeave");
    QVERIFY(unlock->isVisible() && !destroy->isVisible());
    unlock->setFocus();
    QTest::keyClick(unlock, Qt::Key_Space);
    QVERIFY(!unlock->isVisible() && destroy->isVisible() && leave->hasFocus());
    QVERIFY(destroy->text().contains("the whole flash, the configuration words and the RAM"));
    QTest::keyClick(leave, Qt::Key_Space);
    QVERIFY(unlock->isVisible() && !destroy->isVisible() && unlock->hasFocus());
    QVERIFY(s.demo->with([](sim::Bench& b) { return b.board().chip().lock()->closed(); }));
    QTest::keyClick(unlock, Qt::Key_Space);
    destroy->setFocus();
    QTest::keyClick(destroy, Qt::Key_Space);
    const auto closed = [](sim::Bench& b) { return b.board().chip().lock()->closed(); };
    QVERIFY(QTest::qWaitFor([&] { return !s.demo->with(closed); }, kPatience));
    QVERIFY(
        QTest::qWaitFor([&] { return layOutRail(s.window.bench()).items[1].state == RailItem::Agrees; }, kPatience));
    QVERIFY(!card->isVisible());
    QVERIFY(s.untilPlanned());
    QTest::mouseClick(s.window.findChild<QPushButton*>("go"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().run().record() != nullptr; }, kPatience));
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
  }

  /// A pack that is dropped on the window describes the sheet's core from then on.
  void aDroppedPackIsInTheLibrary() {
    FloatStage s([](const QString& folder) {
      const std::string sheet = (folder + "/float-sensor.imprimo").toStdString();
      QString text = QString::fromStdString(readTextFile(sheet));
      text.replace(QRegularExpression("\"card\": \"[^\"]*\""),
                   R"("chip": {"pack": "Beck.K_DFP.1.2.0", "name": "BECK_K0"})");
      writeFileAtomically(sheet, text.toStdString());
      writePack((folder + "/dropped.pack").toStdString(),
                R"(<family Dfamily="K series" Dvendor="Beck:901"><processor Dcore="Cortex-M0"/><device Dname="BECK_K0">
<memory name="program" access="rx" start="0x0" size="0x40000"/><memory name="sram" access="rwx" start="0x20000000" size="0x4000" default="1"/>
<algorithm name="Flash/k0.flm" start="0x0" size="0x40000" default="1"/></device></family>)",
                {{"Flash/k0.flm", readFile((folder + "/beck_k0.flm").toStdString())}});
      writeFileAtomically((folder + "/wrong.pack").toStdString(), std::string_view("no zip"));
    });
    QStringList messages;
    QObject::connect(&s.window.bench(), &Workbench::message, &s.window,
                     [&](const QString& text, bool) { messages << text; });
    for (const char* name : {"wrong.pack", "dropped.pack"}) {
      QMimeData data;
      data.setUrls({QUrl::fromLocalFile(s.folder.filePath(name))});
      QDragEnterEvent enter(QPoint(5, 5), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
      QApplication::sendEvent(&s.window, &enter);
      QVERIFY(enter.isAccepted());
      QDropEvent drop(QPointF(5, 5), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
      QApplication::sendEvent(&s.window, &drop);
    }
    QVERIFY(QTest::qWaitFor([&] { return messages.join("\n").contains("In the library now: pack"); }, kPatience));
    QVERIFY2(messages.join("\n").contains("this is no pack"), qPrintable(messages.join("\n")));
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    QTest::mouseClick(s.window.findChild<QPushButton*>("go"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().run().record() != nullptr; }, kPatience));
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
  }

  /// A core without a card: the probe is asked what is there, the chip is offered by what its debug port says of
  /// itself, or chosen by typing; a sheet begins with it.
  void aChipIsChosenByTyping() {
    FloatStage s([](const QString& folder) {
      const std::string bench = (folder + "/bench.json").toStdString();
      QString text = QString::fromStdString(readTextFile(bench));
      text.replace("\"words_at\"", "\"target\": \"0x21002927\", \"words_at\"");
      writeFileAtomically(bench, text.toStdString());
      const std::string pack = (folder + "/k.pack").toStdString();
      const std::string memories =
          "<memory name=\"program\" access=\"rx\" start=\"0x0\" size=\"0x40000\"/>"
          "<memory name=\"sram\" access=\"rwx\" start=\"0x20000000\" size=\"0x4000\" default=\"1\"/>"
          "<algorithm name=\"Flash/k0.flm\" start=\"0x0\" size=\"0x40000\" default=\"1\"/>";
      const std::string sequences =
          "<sequences><sequence name=\"DebugDeviceUnlock\"><block>Read32(0x40000000);</block></sequence></sequences>";
      writePack(pack,
                "<family Dfamily=\"K series\" Dvendor=\"Beck:901\"><processor Dcore=\"Cortex-M0\"/>" + memories +
                    "<device Dname=\"BECK_K0\"><debugport><swd targetsel=\"0x01002927\"/></debugport>" + sequences +
                    "</device><device Dname=\"BECK_K1\"/><device Dname=\"BECK_L7\"/></family>",
                {{"Flash/k0.flm", readFile((folder + "/beck_k0.flm").toStdString())}});
      packs::addPack(pack);
    });
    MainWindow window(viewTable());
    window.resize(1280, 800);
    window.show();
    window.bench().session().explore(QString::fromStdString(s.demo->address()));
    ChipDialog* dialog = nullptr;
    QVERIFY(QTest::qWaitFor([&] { return (dialog = window.findChild<ChipDialog*>()) != nullptr; }, kPatience));
    auto* list = dialog->findChild<QListWidget*>("chipList");
    auto* what = dialog->findChild<QPlainTextEdit*>("chipWhat");
    auto* letters = dialog->findChild<QLineEdit*>("chipLetters");
    auto* use = dialog->findChild<QPushButton*>("chipUse");
    QVERIFY2(dialog->findChild<QLabel*>("chipWords")->text().contains("BECK_K0 of the library matches"),
             qPrintable(dialog->findChild<QLabel*>("chipWords")->text()));
    QVERIFY(list->currentItem()->text().startsWith("BECK_K0"));
    // What its sequences do is said before.
    QVERIFY2(what->toPlainText().contains("read 32 bits at 0x40000000"), qPrintable(what->toPlainText()));
    QTest::keyClicks(letters, "beck_l");
    QVERIFY(list->currentItem()->text().startsWith("BECK_L7"));
    QCOMPARE(use->text(), QString("Start a sheet with BECK_L7"));
    letters->selectAll();
    QTest::keyClicks(letters, "no such");
    QVERIFY(!use->isEnabled());
    QVERIFY(what->toPlainText().contains("No device of the library"));
    letters->selectAll();
    QTest::keyClicks(letters, "beck k");
    QTest::keyClick(letters, Qt::Key_Down);
    QVERIFY(list->currentItem()->text().startsWith("BECK_K1"));
    QTest::keyClick(letters, Qt::Key_Up);
    QTest::keyClick(letters, Qt::Key_Return);
    QVERIFY(QTest::qWaitFor([&] { return window.bench().link().state() == LinkState::Connected; }, kPatience));
    const sheet::Sheet& sheet = window.bench().document().sheet();
    QCOMPARE(sheet.cores.size(), 1u);
    QCOMPARE(sheet.cores[0].chip->name, std::string("BECK_K0"));
    QCOMPARE(sheet.memories.size(), 2u);
    QVERIFY(sheet.restartAfter && sheet.onlySwd());
    QCOMPARE(layOutRail(window.bench()).items[1].memory, std::string("program"));
    // By the menu, without a probe: nothing is chosen before something was typed.
    window.findChild<QAction*>("chip")->trigger();
    ChipDialog* second = nullptr;
    for (ChipDialog* each : window.findChildren<ChipDialog*>()) second = each->isVisible() ? each : second;
    QVERIFY(second != nullptr);
    QVERIFY(!second->findChild<QPushButton*>("chipUse")->isEnabled());
    // A card instead of the pack, in one step.
    auto* asCard = second->findChild<QPushButton*>("chipAsCard");
    QVERIFY(!asCard->isEnabled());
    QTest::keyClicks(second->findChild<QLineEdit*>("chipLetters"), "beck_k0");
    const QString card = s.folder.filePath("cards/k0.json");
    QVERIFY(QDir().mkpath(s.folder.filePath("cards")));
    QTimer answers;  // the file is asked for, and what becomes of the sheet before
    connect(&answers, &QTimer::timeout, &window, [&] {
      if (auto* ask = qobject_cast<QFileDialog*>(QApplication::activeModalWidget())) {
        ask->findChild<QLineEdit*>("fileNameEdit")->setText(card);
        ask->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Save)->click();
      } else if (auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget())) {
        box->button(QMessageBox::Discard)->click();
      }
    });
    answers.start(100);
    QTest::keyClick(asCard, Qt::Key_Space);
    QVERIFY(!second->isVisible());
    const sheet::CoreEntry& core = window.bench().document().sheet().cores[0];
    QVERIFY(!core.chip);
    QCOMPARE(QString::fromStdString(core.card), card);
    QCOMPARE(debug::readCoreCard(card.toStdString()).regions.size(), 2u);
    QVERIFY(QFile::exists(s.folder.filePath("cards/k0.flm")));
  }

  /// A chip that does not say which it is by its debug port does by its ROM table.
  void aChipIsOfferedByItsRomTable() {
    FloatStage s([](const QString& folder) {
      const std::string pack = (folder + "/k.pack").toStdString();
      writePack(pack,
                "<family Dfamily=\"K series\" Dvendor=\"Beck:901\"><processor Dcore=\"Cortex-M0\"/>"
                "<device Dname=\"BECK_K0\"><debugport><swd targetsel=\"0x100C6FFB\"/></debugport></device>"
                "<device Dname=\"BECK_K1\"><debugport><swd targetsel=\"0x100C7FFB\"/></debugport></device></family>",
                {});
      packs::addPack(pack);
    });
    MainWindow window(viewTable());
    window.show();
    window.bench().session().explore(QString::fromStdString(s.demo->address()));
    ChipDialog* dialog = nullptr;
    QVERIFY(QTest::qWaitFor([&] { return (dialog = window.findChild<ChipDialog*>()) != nullptr; }, kPatience));
    const QString words = dialog->findChild<QLabel*>("chipWords")->text();
    QVERIFY2(words.contains("ROM table of 0x000c6ffb") && words.contains("BECK_K0 of the library matches"),
             qPrintable(words));
    dialog->reject();
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
      const Bytes& flash = b.board().chip().flash();
      return std::pair(Bytes(flash.begin() + 0x3F000, flash.begin() + 0x3F005), b.violations());
    });
    QCOMPARE(held, (Bytes{'F', 'L', 'O', 'A', 'T'}));  // what is kept
    QVERIFY2(violations.empty(), violations.c_str());
  }

  /// Addresses are the core's own, wherever its flash is: on the map, in the lanes, in the address box.
  void aFlashThatBeginsElsewhereIsShownWhereItIs() {
    FloatStage s([](const QString& folder) {
      const auto change = [&](const char* name, const std::vector<std::pair<const char*, const char*>>& words) {
        QString text = QString::fromStdString(readTextFile((folder + "/" + name).toStdString()));
        for (const auto& [was, is] : words) text.replace(was, is);
        writeFileAtomically((folder + "/" + name).toStdString(), text.toStdString());
      };
      change("bench.json", {{"\"flash\":", "\"flash_at\": \"0x08000000\", \"flash\":"},
                            {"\"at\": \"0x0\"", "\"at\": \"0x08000000\""}});
      change("beck_k0_core.json", {{"\"from\": \"0x0\"", "\"from\": \"0x08000000\""}});
      change("float-sensor.imprimo", {{"float_sensor.elf\"", "on_the_sensor.bin\", \"at\": \"0x08000000\""},
                                      {"float_curve.bin", "../none"},
                                      {"0x20000\"", "0x08020000\""},
                                      {"0x3F000", "0x0803F000"},
                                      {"0x3FFFF", "0x0803FFFF"},
                                      {"\"at\": \"0x0\"", "\"at\": \"0x08000000\""},
                                      {"0x3000\"", "0x08003000\""}});
      QString text = QString::fromStdString(readTextFile((folder + "/float-sensor.imprimo").toStdString()));
      text.remove(QRegularExpression(R"(,\s*\{"memory": "program", "file": "../none"[^}]*\})"));
      text.remove(QRegularExpression(R"(\s*"keep": \[[^\]]*\],)"));
      writeFileAtomically((folder + "/float-sensor.imprimo").toStdString(), text.toStdString());
      writeFileAtomically((folder + "/beck_k0.flm").toStdString(), algorithmAt(0x08000000));
      // One byte is another one.
      Bytes next = readFile((folder + "/on_the_sensor.bin").toStdString());
      next[0x4321] ^= 0x10;
      writeFileAtomically((folder + "/next.bin").toStdString(), next);
      change("float-sensor.imprimo", {{"on_the_sensor.bin", "next.bin"}});
    });
    QVERIFY(s.connect());
    QVERIFY2(s.untilPlanned(), qPrintable(s.window.bench().run().problem()));
    Workbench& bench = s.window.bench();
    QCOMPARE(bench.cursor().whole(), (AddressRange{0x08000000, 0x08040000}));
    QCOMPARE(bench.cursor().position(), std::uint64_t{0x08000000});
    QVERIFY(QTest::qWaitFor([&] { return bench.looks().differingBytes() == 1; }, kPatience));
    bench.nextDifferenceAction->trigger();
    QCOMPARE(bench.cursor().position(), std::uint64_t{0x08004321});
    auto* bytes = s.window.findChild<ByteZip*>();
    QVERIFY(bytes->visible().contains(0x08004321));
    auto* address = s.window.findChild<QLineEdit*>("address");
    QVERIFY(address != nullptr);
    QCOMPARE(address->text(), QString("0x8004321"));
    bench.cursor().moveTo(0);
    QCOMPARE(bench.cursor().position(), std::uint64_t{0x08000000});
    QTest::keyClick(bytes, Qt::Key_End, Qt::ControlModifier);
    QCOMPARE(bench.cursor().position(), std::uint64_t{0x0803FFFF});
    QTest::keyClick(bytes, Qt::Key_Home, Qt::ControlModifier);
    QCOMPARE(bench.cursor().position(), std::uint64_t{0x08000000});
    QTest::mouseClick(s.window.findChild<QPushButton*>("go"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return bench.run().record() != nullptr; }, kPatience));
    QVERIFY2(bench.run().record()->good(), bench.run().record()->message.c_str());
    QCOMPARE(bench.looks().differingBytes(), 0u);
  }

  /// What is written is right, and does not run: that is said, with where it happened.
  void oneThatDoesNotRunIsExplained() {
    FloatStage s([](const QString& folder) {
      // ldr r1, [r0, #16] where r0 has an address that nothing is at.
      const Bytes bad = firmware({0x2005, 0x0700, 0x6901, 0xE7FE});
      QFile file(folder + "/float_curve.bin");
      if (file.open(QIODevice::WriteOnly)) file.write(reinterpret_cast<const char*>(bad.data()), qsizetype(bad.size()));
      QFile sheet(folder + "/float-sensor.imprimo");
      if (!sheet.open(QIODevice::ReadOnly)) return;
      QString text = sheet.readAll();
      sheet.close();
      text.remove("{\"memory\": \"program\", \"file\": \"float_sensor.elf\"},");
      text.replace("\"at\": \"0x20000\"", "\"at\": \"0x0\"");
      if (sheet.open(QIODevice::WriteOnly)) sheet.write(text.toUtf8());
    });
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    auto* findings = s.window.findChild<CoreFindings*>();
    QVERIFY(!findings->isVisible());
    QTest::mouseClick(s.window.findChild<QPushButton*>("go"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().run().record() != nullptr; }, kPatience));
    const run::Record& record = *s.window.bench().run().record();
    QCOMPARE(record.outcome, run::Outcome::Verified);
    QVERIFY2(record.message.find("hard fault") != std::string::npos, record.message.c_str());
    QVERIFY(findings->isVisible());
    const QString text = findings->text();
    QVERIFY2(text.contains("It was written and confirmed, and it does not run."), qPrintable(text));
    QVERIFY2(text.contains("reads from 0x50000010, where nothing answers"), qPrintable(text));
    QTest::mouseClick(findings->findChild<QToolButton*>("coreGoTo"), Qt::LeftButton);
    QCOMPARE(s.window.bench().cursor().position(), std::uint64_t{0xC4});
    QTest::mouseClick(findings->findChild<QToolButton*>("coreCopy"), Qt::LeftButton);
    QCOMPARE(QGuiApplication::clipboard()->text(), text);
    const RailLayout rail = layOutRail(s.window.bench());
    QVERIFY2(rail.items[0].right.contains("fault"), qPrintable(rail.items[0].right));
    // Looked at again it is the same; started anew by the right program it is gone.
    QTest::mouseClick(findings->findChild<QToolButton*>("coreAgain"), Qt::LeftButton);
    QTest::qWait(50);
    QVERIFY(QTest::qWaitFor([&] { return !s.window.bench().session().isBusy(); }, kPatience));
    QVERIFY(findings->isVisible());
  }
};
IMPRIMO_TEST(CoreBenchTest);
#include "tst_core_bench.moc"
