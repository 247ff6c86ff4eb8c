// SPDX-License-Identifier: GPL-3.0-or-later
//
// Takes the pictures in docs/screenshots from the demo data: the real window, driven as a user would.
#include <QApplication>
#include <QDialog>
#include <QDir>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <QTextStream>
#include <QToolButton>
#include <functional>

#include "app/console/console_view.h"
#include "app/images/images_view.h"
#include "app/look/theme.h"
#include "app/pins/pins_view.h"
#include "app/shell/demo_bench.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "tests/screenshots/camera.h"
#include "tests/support/usb_tree.h"

namespace {

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

/// A window with a sheet, which is being connected.
std::unique_ptr<MainWindow> openedOn(const DemoBench& bench, const QString& sheet) {
  auto window = std::make_unique<MainWindow>(viewTable());
  window->setDark(false);
  window->resize(1280, 800);
  window->show();
  window->bench().keeping().open(sheet);
  window->bench().link().connectTo(QString::fromStdString(bench.address()));
  return window;
}

/// A window at a part of the chain, with a file for it; the bench as it is at power-up.
std::unique_ptr<MainWindow> atDevice(DemoBench& bench, const QString& demo, const QString& device,
                                     const QString& file) {
  auto window = openedOn(bench, demo + "/gauge-rev-b.imprimo");
  waitUntil([&] { return window->bench().link().report().has_value(); });
  window->bench().selectDevice(device == "sequencer" ? 1 : 2);
  if (!file.isEmpty()) window->bench().device().setFile(demo + "/" + file);
  QTest::qWait(200);
  return window;
}

void takeDevices(Camera& camera, const QString& demo) {
  const auto benchFile = (demo + "/bench.json").toStdString();
  {
    DemoBench bench(benchFile, false);
    auto window = atDevice(bench, demo, "sequencer", {});
    window->bench().run().go();
    waitUntil([&] { return window->bench().run().record() != nullptr; });
    QTest::qWait(200);
    camera.take("part-cpld", *window);
  }
}

void takeConfigurationFlash(const QString& pictures, const QString& demo) {
  {
    // Two ranges to erase; one shares its block with a table that is put back.
    Variant variant(
        demo,
        [](QString& sheet) {
          sheet.replace("\"bookmarks\"", R"("erase": [{"memory": "boot-flash", "from": "0x100000", "to": "0x15FFFF"},
    {"memory": "boot-flash", "from": "0x6A0000", "to": "0x6A17FF"}],
  "bookmarks")");
        },
        [](QString&) {});
    Camera camera(pictures, variant.folder.path());
    DemoBench bench(variant.folder.filePath("bench.json").toStdString(), false);
    auto window = camera.ready(&bench, {1280, 800}, false);
    window->findChild<QToolButton*>("eraseIntent")->click();
    waitUntil([&] { return window->bench().run().plan() && window->bench().run().plan()->complete; });
    window->bench().cursor().jumpTo(0x6A17E8);
    // In high contrast, which has to be as clear as the others.
    Theme::use(ThemeKind::Contrast);
    QTest::qWait(200);
    camera.take("bench-erase", *window);
    Theme::use(ThemeKind::Light);
  }
}

/// The second board: a core on SWD, its flash before a run.
void takeCore(Camera& camera, const QString& demo) {
  DemoBench bench((demo + "/float/bench.json").toStdString(), false);
  const auto window = openedOn(bench, demo + "/float/float-sensor.imprimo");
  waitUntil([&] { return window->bench().run().plan() && window->bench().run().plan()->complete; });
  window->bench().cursor().jumpTo(0x20000);
  QTest::qWait(300);
  camera.take("core-flash", *window);
  // A release that does not run.
  QFile sheet(demo + "/float/float-sensor.imprimo");
  if (!sheet.open(QIODevice::ReadOnly)) return;
  const QString text = QString::fromUtf8(sheet.readAll()).replace("float_sensor.elf", "float_sensor_3.elf");
  const QTemporaryDir folder(demo + "/float/faulty-XXXXXX");
  for (const char* name : {"beck_k0_core.json", "beck_k0.flm", "float_curve.bin", "float_sensor_3.elf"})
    QFile::copy(demo + "/float/" + name, folder.filePath(name));
  QFile changed(folder.filePath("float-sensor.imprimo"));
  if (!changed.open(QIODevice::WriteOnly)) return;
  changed.write(text.toUtf8());
  changed.close();
  window->bench().keeping().open(folder.filePath("float-sensor.imprimo"));
  window->bench().link().connectTo(QString::fromStdString(bench.address()));
  waitUntil([&] { return window->bench().run().plan() && window->bench().run().plan()->complete; });
  window->bench().run().go();
  waitUntil([&] { return window->bench().run().record() != nullptr; });
  window->findChild<QToolButton*>("coreGoTo")->click();
  QTest::qWait(300);
  camera.take("core-fault", *window);
}

/// What its firmware says, with its numbers as curves.
void takeConsole(Camera& camera, const QString& demo) {
  DemoBench bench((demo + "/float/bench.json").toStdString(), false);
  const auto window = openedOn(bench, demo + "/float/float-sensor.imprimo");
  waitUntil([&] { return window->bench().link().isConnected(); });
  QTest::keyClick(window.get(), Qt::Key_5, Qt::ControlModifier);
  ConsoleModel& model = window->view<ConsoleView>().model();
  waitUntil([&] { return model.log().count() > 110; });
  window->findChild<QToolButton*>("consoleCurves")->click();
  waitUntil([&] { return model.log().count() > 120; });
  window->findChild<ConsoleList*>("consoleList")->setFocus();
  camera.take("console", *window);
}

/// The sequencer's pins, live, one of them driven.
void takePins(Camera& camera, const QString& demo) {
  DemoBench bench((demo + "/bench.json").toStdString(), false);
  const auto window = camera.ready(&bench, {1280, 800}, false);
  waitUntil([&] { return window->bench().link().isConnected(); });
  QTest::keyClick(window.get(), Qt::Key_4, Qt::ControlModifier);
  auto& view = window->view<PinsView>();
  waitUntil([&] { return view.model().isSampled() && view.model().edges(view.model().ports().at("IO(0)")) > 40; });
  auto* list = view.findChild<QListView*>("pinsList");
  for (const char* port : {"IO(0)", "IO(4)"}) {
    const int row = static_cast<int>(view.model().ports().at(port));
    list->setCurrentIndex(list->model()->index(row, 0));
    view.findChild<QToolButton*>("pinsTraced")->click();
  }
  list->setCurrentIndex(list->model()->index(static_cast<int>(view.model().ports().at("IO(2)")), 0));
  view.findChild<QToolButton*>("pinsTraced")->click();
  view.findChild<QLineEdit*>("pinsHertz")->setText("2000");
  for (int i = 0; i < 2; ++i) view.findChild<QToolButton*>("pinsClock")->click();
  QTest::qWait(300);
  camera.take("pins", *window);
}

void takeAll(const QString& folder, const QString& demo) {
  takeConfigurationFlash(folder, demo);
  takeVectors(folder, demo);
  Camera camera(folder, demo);
  takeDevices(camera, demo);
  takeCore(camera, demo);
  takeConsole(camera, demo);
  takePins(camera, demo);
  const auto benchFile = (demo + "/bench.json").toStdString();
  {
    DemoBench bench(benchFile, false);
    camera.take("bench-ready", *camera.ready(&bench, {1280, 800}, false));
  }
  {
    DemoBench bench(benchFile, false);
    camera.take("bench-ready-dark-large", *camera.ready(&bench, {1920, 1080}, true));
  }
  {
    // Building an image: the sheet's three files, and firmware that does not belong there.
    auto window = camera.ready(nullptr, {1280, 800}, false);
    window->findChild<QAction*>("imagesTab")->trigger();
    ImageDocument& image = window->view<ImagesView>().document();
    ImageState state = image.state();
    state.size = 8u << 20;
    state.block = 4096;
    image.change("", state);
    image.addFile(demo + "/supervisor.elf");
    image.moveTo(3, 0x600000);
    image.select(1);
    QTest::qWait(100);
    camera.take("images", *window);
  }
  {
    UsbTree tree;
    tree.addDap("1-1", "GAUGE-7", "River gauge probe");
    tree.addEngine("1-2", "", "Two-channel adapter", "ftdi_sio");
    tree.addDap("1-3", "GAUGE-8", "River gauge probe");
    tree.hold("1-3", 812, "level-logger");
    tree.addDap("1-4", "GAUGE-9", "River gauge probe, first series");
    tree.lock("1-4");
    auto window = camera.ready(nullptr, {1280, 800}, false);
    window->bench().session().setSystemRoot(tree.root());
    window->findChild<QAction*>("connect")->trigger();
    auto* panel = window->findChild<ProbePanel*>("probePanel");
    waitUntil([&] { return panel->findChildren<QLabel*>("probeState").size() == 4; });
    camera.takeWith("probes", *window, *panel);
  }
  takeNewBoard(folder, demo);
  takeRecords(folder, demo);
  takeLine(folder, demo);
}

/// With QT_SCALE_FACTOR, as it is set where the desktop or somebody wants all of it larger: a large screen at 150 %.
void takeLarge(const QString& pictures, const QString& demo) {
  Camera camera(pictures, demo);
  DemoBench bench((demo + "/bench.json").toStdString(), false);
  camera.take("bench-large-text", *camera.ready(&bench, {1280, 720}, false));
}

}  // namespace

int main(int argc, char** argv) {
  QTemporaryDir home;
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  qputenv("XDG_CACHE_HOME", home.path().toUtf8());
  QApplication application(argc, argv);
  QApplication::setOrganizationName("imprimo");
  QApplication::setApplicationName("screenshots");
  QApplication::setStyle("Fusion");
  const bool onlyVectors = argc == 4 && QString(argv[3]) == "vectors";
  const bool onlyNewBoard = argc == 4 && QString(argv[3]) == "new-board";
  const bool onlyLine = argc == 4 && QString(argv[3]) == "line";
  const bool onlyLarge = argc == 4 && QString(argv[3]) == "large";
  const bool onlyRecords = argc == 4 && QString(argv[3]) == "records";
  if (argc != 3 && !onlyVectors && !onlyNewBoard && !onlyRecords && !onlyLine && !onlyLarge) {
    QTextStream(stderr) << "usage: imprimo-screenshots FOLDER DEMO-FOLDER [vectors|new-board|records|line|large]\n";
    return 2;
  }
  try {
    onlyVectors    ? takeVectors(argv[1], argv[2])
    : onlyNewBoard ? takeNewBoard(argv[1], argv[2])
    : onlyLine     ? takeLine(argv[1], argv[2])
    : onlyLarge    ? takeLarge(argv[1], argv[2])
    : onlyRecords  ? takeRecords(argv[1], argv[2])
                   : takeAll(argv[1], argv[2]);
  } catch (const std::exception& e) {
    QTextStream(stderr) << "imprimo-screenshots: " << e.what() << "\n";
    return 1;
  }
  return 0;
}
