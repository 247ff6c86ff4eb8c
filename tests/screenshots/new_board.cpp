// SPDX-License-Identifier: GPL-3.0-or-later
//
// A board that has no sheet yet: from nothing to a memory.
#include <QRegularExpression>

#include "app/sheet/sheet_view.h"
#include "app/views.h"
#include "core/store/catalog.h"
#include "core/store/user_library.h"
#include "tests/screenshots/camera.h"

namespace imprimo::test {
namespace {

std::unique_ptr<MainWindow> emptyWindow() {
  auto window = std::make_unique<MainWindow>(viewTable());
  window->setDark(qEnvironmentVariableIsSet("IMPRIMO_DARK"));
  window->resize(qEnvironmentVariableIsSet("IMPRIMO_DARK") ? QSize(1280, 720) : QSize(1280, 800));
  return window;
}

bool isReady(MainWindow& window) {
  return waitUntil([&] { return window.bench().link().isConnected() && !window.bench().library().isBusy(); });
}

}  // namespace

void takeNewBoard(const QString& pictures, const QString& demo) {
  Camera camera(pictures, demo);
  for (const char* file : {"parts/tarn_t40.bsd", "parts/tarn_configure.json", "cores/tarn_t40_bridge.json"})
    store::addDescription((demo + "/" + file).toStdString());
  DemoBench bench((demo + "/bench.json").toStdString(), false);
  auto window = emptyWindow();
  window->show();
  window->bench().session().explore(QString::fromStdString(bench.address()));
  isReady(*window);
  QTest::qWait(300);
  camera.take("new-board", *window);
  window->bench().needs().describe(3, demo + "/parts/beck_k0.bsd");
  isReady(*window);
  window->bench().keeping().open(demo + "/gauge-rev-b.imprimo");
  window->findChild<QAction*>("sheetTab")->trigger();
  window->view<SheetView>().page().goTo({"chain", std::size_t{1}, "idcode"});
  QTest::qWait(200);
  camera.take("sheet-page", *window);
}

}  // namespace imprimo::test
