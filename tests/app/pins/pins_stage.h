// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QListView>
#include <QTest>
#include <QToolButton>

#include "app/pins/pins_view.h"
#include "app/shell/demo_bench.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "tests/pins/pins_world.h"

namespace imprimo::test {

constexpr int kPatienceForPins = 20'000;

/// The window at its pins, connected to the world's bench.
struct PinsStage {
  explicit PinsStage(PinsWorldOptions options = {}) : world(std::move(options)) {
    demo = std::make_unique<app::DemoBench>(world.path("bench.json").toStdString(), false);
    window.resize(1280, 800);
    window.show();
    window.activateWindow();
    window.bench().keeping().open(world.path("sheet.imprimo"));
    window.bench().link().connectTo(QString::fromStdString(demo->address()));
    until([this] { return window.bench().link().isConnected(); });
    QTest::keyClick(&window, Qt::Key_4, Qt::ControlModifier);
    view = window.findChild<app::PinsView*>();
  }
  app::PinsModel& model() { return view->model(); }
  std::size_t at(const char* port) { return model().ports().at(port); }
  bool until(const std::function<bool()>& holds) { return QTest::qWaitFor(holds, kPatienceForPins); }
  bool untilSampled() {
    return until([&] { return model().isSampled(); });
  }
  void choose(const char* port) {
    auto* list = find<QListView>("pinsList");
    for (int row = 0; row < list->model()->rowCount(); ++row) {
      if (list->model()->index(row, 0).data().toString().startsWith(port))
        list->setCurrentIndex(list->model()->index(row, 0));
    }
  }
  template <typename T>
  T* find(const char* name) {
    return view->findChild<T*>(name);
  }
  bool cutsOff() {
    return demo->with([](sim::Bench& bench) { return bench.board().device(1).boundary()->cutsOff(); });
  }
  std::string violations() {
    return demo->with([](sim::Bench& bench) { return bench.violations(); });
  }
  PinsWorld world;
  std::unique_ptr<app::DemoBench> demo;
  app::MainWindow window{app::viewTable()};
  app::PinsView* view = nullptr;
};

}  // namespace imprimo::test
