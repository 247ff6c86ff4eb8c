// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTest>
#include <list>

#include "app/line/line_view.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "tests/line/line_bench.h"

namespace imprimo::test {

using namespace imprimo::app;

/// A window in front of a line: a release that is trusted, and so many simulated places.
struct LineStage {
  explicit LineStage(std::size_t count, const release::LineRules& rules = {}, const sim::FixtureModel& boards = {},
                     const std::string& last = "1999", const std::string& more = "", bool realTime = false)
      : gauge(rules, last, more) {
    for (std::size_t i = 0; i < count; ++i) {
      sim::FixtureModel model = boards;
      model.seed += static_cast<std::uint32_t>(i);
      places.emplace_back(gauge.benchFile(), model, realTime);
    }
    openWindow();
  }
  void openWindow() {
    window = std::make_unique<MainWindow>(viewTable());
    window->resize(1280, 800);
    window->show();
  }
  LineView& view() { return window->view<LineView>(); }
  LineDesk& desk() { return view().desk(); }
  /// The Line view in front, with release and probes.
  void ready() {
    window->findChild<QAction*>("lineTab")->trigger();
    desk().open(QString::fromStdString(gauge.file()));
    QStringList addresses;
    for (const SimulatedPlace& place : places) addresses += QString::fromStdString(place.address());
    desk().setProbes(addresses);
  }
  template <typename T>
  T* find(const char* name) {
    return window->findChild<T*>(name);
  }
  bool until(const std::function<bool()>& done) { return QTest::qWaitFor(done, 60'000); }

  ReleasedGauge gauge;
  std::list<SimulatedPlace> places;
  std::unique_ptr<MainWindow> window;
};

}  // namespace imprimo::test
