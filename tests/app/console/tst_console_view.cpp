// SPDX-License-Identifier: GPL-3.0-or-later
//
// The console of the window: what the core says while it runs, filtered, held, found, sent to and saved.
#include <QLineEdit>
#include <QToolButton>
#include <thread>

#include "app/console/console_view.h"
#include "app/console/serial_menu.h"
#include "core/base/atomic_file.h"
#include "sim/serial/serial_pty.h"
#include "tests/app/float_stage.h"
#include "tests/app/heard_text.h"
#include "tests/console/console_world.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class ConsoleViewTest : public QObject {
  Q_OBJECT

  struct Listening : FloatStage {
    explicit Listening(const std::function<void(const QString&)>& change = {}) : FloatStage(change) {
      window.activateWindow();
      connect();
      QTest::keyClick(&window, Qt::Key_5, Qt::ControlModifier);
      view = window.findChild<ConsoleView*>();
    }
    ConsoleModel& model() { return view->model(); }
    QString line(std::size_t row) { return QString::fromUtf8(model().log().bytes(model().shown()[row])); }
    bool untilLines(std::size_t count) {
      return QTest::qWaitFor([&] { return model().shown().size() >= count; }, kPatience);
    }
    template <typename T>
    T* find(const char* name) {
      return view->findChild<T*>(name);
    }
    ConsoleView* view;
  };

 private slots:
  void whatTheCoreSaysIsShownAsItComes() {
    Listening s;
    QVERIFY(s.view->isVisible());
    QVERIFY(s.untilLines(20));
    QCOMPARE(s.line(0), QString("Float sensor, release 1"));
    QCOMPARE(s.line(1), QString("level=1200 battery=3601"));
    QVERIFY(s.find<QLabel>("consoleState")->text().contains("Listening to sensor"));
    auto* list = s.find<ConsoleList>("consoleList");
    QVERIFY(list->isAtEnd());
    // Only some lines, by keyboard.
    auto* filter = s.find<QLineEdit>("consoleFilter");
    filter->setFocus();
    QTest::keyClicks(filter, "LEVEL=12");
    QVERIFY(!s.model().shown().empty());
    for (std::size_t i = 0; i < s.model().shown().size(); ++i) QVERIFY(s.line(i).contains("level=12"));
    QTest::keyClick(filter, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClick(filter, Qt::Key_Delete);
    // A line is gone to, and stays in sight while more comes.
    list->setFocus();
    QTest::keyClick(list, Qt::Key_Home);
    QVERIFY(heardText(list).startsWith("Line 1: Float sensor, release 1"));
    const std::size_t before = s.model().shown().size();
    QVERIFY(s.untilLines(before + 40));
    QCOMPARE(list->current(), std::size_t{0});
    QVERIFY(!list->isAtEnd());
    // Letters are found, forwards and backwards.
    QTest::keyClick(s.view, Qt::Key_F, Qt::ControlModifier);
    auto* search = s.find<QLineEdit>("consoleSearch");
    QTest::keyClicks(search, "level=1216");
    QTest::keyClick(search, Qt::Key_Return);
    QVERIFY(s.line(list->current()).startsWith("level=1216"));
    // Curves are there by choice.
    auto* plot = s.find<ConsolePlot>("consolePlot");
    QVERIFY(!plot->isVisible());
    QTest::mouseClick(s.find<QToolButton>("consoleCurves"), Qt::LeftButton);
    QVERIFY(plot->isVisible());
    QCOMPARE(plot->names(), (QStringList{"battery", "level"}));
    QVERIFY(plot->valuesOf("level") > 20);
    QVERIFY2(s.demo->with([](sim::Bench& b) { return b.violations(); }).empty(), "violations");
  }

  /// Held, nothing new is shown, and nothing is lost.
  void aHeldViewLosesNothing() {
    Listening s;
    QVERIFY(s.untilLines(5));
    auto* hold = s.find<QToolButton>("consoleHold");
    QTest::mouseClick(hold, Qt::LeftButton);
    const std::size_t shown = s.model().shown().size();
    QVERIFY(QTest::qWaitFor([&] { return s.model().waiting() > 20; }, kPatience));
    QCOMPARE(s.model().shown().size(), shown);
    QVERIFY2(hold->text().startsWith("● held, "), qPrintable(hold->text()));
    QTest::mouseClick(hold, Qt::LeftButton);
    QVERIFY(s.model().shown().size() > shown + 20);
    QCOMPARE(s.model().waiting(), std::size_t{0});
    QTest::mouseClick(s.find<QToolButton>("consoleListen"), Qt::LeftButton);
    QVERIFY(!s.model().isOn());
  }

  /// It is heard again after a run, from the first line that its new firmware says.
  void aRunIsFollowedByWhatTheNewFirmwareSays() {
    Listening s;
    QVERIFY(s.untilLines(5));
    QVERIFY(s.untilPlanned());
    s.window.bench().goAction->trigger();
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().run().record() != nullptr; }, kPatience));
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
    QVERIFY(QTest::qWaitFor(
        [&] {
          for (std::size_t i = 0; i < s.model().shown().size(); ++i) {
            if (s.line(i) == "Float sensor, release 2") return true;
          }
          return false;
        },
        kPatience));
  }

  void theTargetIsSpokenTo() {
    Listening s([](const QString& folder) {
      writeFileAtomically((folder + "/on_the_sensor.bin").toStdString(), ByteSpan(consoleFirmware("GREET")));
    });
    QVERIFY(s.untilLines(1));
    QCOMPARE(s.line(0), QString("gauge ready"));
    auto* say = s.find<QLineEdit>("consoleSay");
    QTest::keyClicks(say, "what is the level?");
    QTest::keyClick(say, Qt::Key_Return);
    QVERIFY(say->text().isEmpty());
    QVERIFY(s.untilLines(2));
    QCOMPARE(s.line(1), QString("what is the level?"));
  }

  /// Below any other view, by key; never below itself.
  void aStripStandsBelowOtherViews() {
    Listening s;
    auto* strip = s.window.findChild<QWidget*>("consoleStrip");
    QVERIFY(!strip->isVisible());
    QTest::keyClick(&s.window, Qt::Key_1, Qt::ControlModifier);
    QVERIFY(!strip->isVisible());
    QTest::keyClick(&s.window, Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(strip->isVisible());
    QVERIFY(strip->findChild<QLabel*>("consoleStripState")->text().contains("Listening to sensor"));
    QVERIFY(s.untilLines(10));
    QTest::keyClick(&s.window, Qt::Key_5, Qt::ControlModifier);
    QVERIFY(!strip->isVisible());
    QTest::keyClick(&s.window, Qt::Key_2, Qt::ControlModifier);
    QVERIFY(strip->isVisible());
    QTest::mouseClick(strip->findChild<QToolButton*>("consoleStripClose"), Qt::LeftButton);
    QVERIFY(!strip->isVisible());
  }

  /// Trace and a serial port beside the ring; what cannot be had is said, and the rest goes on.
  void severalSourcesAreHeardAtOnce() {
    std::unique_ptr<sim::SerialPty> port;
    Listening s([](const QString& folder) {
      writeFileAtomically((folder + "/on_the_sensor.bin").toStdString(), ByteSpan(consoleFirmware("ALL")));
      const std::string bench = (folder + "/bench.json").toStdString();
      QString text = QString::fromStdString(readTextFile(bench));
      text.replace("\"locked\": false", "\"locked\": false, \"swo\": {}, \"uart\": 115200");
      text.replace("\"probe\": {", "\"probe\": {\"swo\": {}, ");
      writeFileAtomically(bench, text.toStdString());
    });
    s.demo->with([&](sim::Bench& bench) { port = std::make_unique<sim::SerialPty>(bench.board()); });
    std::jthread pump([&](const std::stop_token& stop) {
      while (!stop.stop_requested()) {
        s.demo->with([&](sim::Bench&) { port->pump(); });
        std::this_thread::sleep_for(std::chrono::milliseconds(1));
      }
    });
    QVERIFY(s.untilLines(1));
    QTest::mouseClick(s.find<QToolButton>("consoleTrace"), Qt::LeftButton);
    console::SerialSettings settings;
    settings.baud = 115200;
    s.model().setSerialSettings(settings);
    s.model().setSerial("serial:" + QString::fromStdString(port->path()));
    const auto channels = [&] {
      QStringList all;
      for (const QString& channel : s.model().log().channels()) all += channel;
      return all;
    };
    const QString serial = "serial " + QString::fromStdString(port->path()).section('/', -1);
    QVERIFY2(QTest::qWaitFor([&] { return channels().contains("itm 0") && channels().contains(serial); }, kPatience),
             qPrintable(channels().join(", ")));
    QVERIFY(channels().contains("ring"));
    const QString state = s.find<QLabel>("consoleState")->text();
    QVERIFY2(state.contains("rings in its RAM, trace on SWO and /dev/pts/"), qPrintable(state));
    QVERIFY(s.find<QLineEdit>("consoleSay")->placeholderText().contains("the serial port"));
    // A port that is not there takes nothing from the others.
    s.model().setSerial("serial:/dev/ttyNone9");
    const auto isSaid = [&] {
      for (std::size_t i = 0; i < s.model().shown().size(); ++i) {
        if (s.line(i).contains("/dev/ttyNone9 does not open")) return true;
      }
      return false;
    };
    QVERIFY(QTest::qWaitFor(isSaid, kPatience));
    const std::size_t before = s.model().log().count();
    QVERIFY(QTest::qWaitFor([&] { return s.model().log().count() > before + 10; }, kPatience));
  }

  /// The menu of ports says what each hangs on.
  void portsAreOfferedByWhatTheyHangOn() {
    UsbTree tree;
    tree.addDap("1-2", "LINK", "Probe");
    tree.addSerial("1-2", 2, "ttyACM0", "cdc_acm");
    tree.addPlain("1-5", "BOARD", "River gauge");
    tree.addSerial("1-5", 0, "ttyACM2", "cdc_acm");
    tree.hold("1-5", 812, "gauge-logger", "/dev/ttyACM2");
    Listening s;
    s.window.bench().session().setSystemRoot(tree.root());
    auto* menu = s.view->findChild<SerialMenu*>();
    emit menu->aboutToShow();
    QStringList texts;
    for (const QAction* action : menu->actions()) texts += action->text();
    QVERIFY2(texts.contains("/dev/ttyACM0   another probe, Made up Probe (LINK)"), qPrintable(texts.join("\n")));
    QVERIFY2(texts.contains(
                 "/dev/ttyACM2   a board, Made up River gauge (BOARD), the newest, held by gauge-logger (process 812)"),
             qPrintable(texts.join("\n")));
    for (QAction* action : menu->actions()) {
      if (action->text() == "115200 baud") action->trigger();
    }
    QCOMPARE(s.model().serialSettings().baud, 115200u);
    for (const auto& [submenu, value] : {std::pair{"parity", "even"}, {"lines that are sent end with", "CR LF"}}) {
      for (QAction* action : menu->actions()) {
        if (action->text() != submenu) continue;
        for (QAction* each : action->menu()->actions()) {
          if (each->text() == value) each->trigger();
        }
      }
    }
    QVERIFY(s.model().serialSettings().parity == console::SerialSettings::Parity::Even);
    QVERIFY(s.model().serialSettings().ending == console::SerialSettings::Ending::CrLf);
    QCOMPARE(s.model().serialSettings().baud, 115200u);
  }

  void aLockedCoreIsTold() {
    Listening s([](const QString& folder) {
      const std::string bench = (folder + "/bench.json").toStdString();
      QString text = QString::fromStdString(readTextFile(bench));
      text.replace("\"locked\": false", "\"locked\": true");
      writeFileAtomically(bench, text.toStdString());
    });
    QVERIFY(QTest::qWaitFor([&] { return s.find<QLabel>("consoleState")->text().contains("sensor is locked"); },
                            kPatience));
  }

  /// Ten MiB, a line of one MiB, and bytes that are no text: of each line a few words are in memory, the rest on disk.
  void muchAndOddTextIsTaken() {
    ConsoleLog log;
    std::vector<console::Heard> news{{"ring"}};
    for (int i = 0; i < 10 * 1024; ++i) {
      std::string line = "line " + std::to_string(i) + " ";
      line.resize(1023, 'x');
      news[0].bytes.insert(news[0].bytes.end(), line.begin(), line.end());
      news[0].bytes.push_back('\n');
    }
    log.take(news);
    QCOMPARE(log.count(), std::size_t{10 * 1024});
    for (const std::size_t i : {0u, 10'000u, 5u, 2'047u, 2'048u, 7'777u, 4'000u, 10'239u, 5u})
      QVERIFY(log.bytes(i).startsWith("line " + QByteArray::number(qulonglong(i)) + " "));
    news[0].bytes.assign(1 << 20, 'y');
    news[0].bytes.push_back('\n');
    log.take(news);
    QCOMPARE(log.count(), std::size_t{10 * 1024 + 1024 + 1});
    QVERIFY(!log.line(10 * 1024).continues && log.line(10 * 1024 + 1).continues);
    news[0].bytes.clear();
    for (int i = 0; i < 4096; ++i) news[0].bytes.push_back(static_cast<std::uint8_t>(i * 37));
    log.take(news);
    for (std::size_t i = log.count() - 16; i < log.count(); ++i) console::plainText(log.bytes(i).toStdString());
    QTemporaryDir folder;
    log.save(folder.filePath("said.txt"));
    QVERIFY(QFileInfo(folder.filePath("said.txt")).size() > 11 << 20);
    log.clear();
    QCOMPARE(log.count(), std::size_t{0});
    news[0].bytes = {'a', '\n'};
    log.take(news);
    QCOMPARE(log.bytes(0), QByteArray("a"));
  }
};

IMPRIMO_TEST(ConsoleViewTest);
#include "tst_console_view.moc"
