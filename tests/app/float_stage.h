// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <functional>
#include <memory>

#include "tests/app/stage.h"
#include "tests/support/copy_folder.h"

namespace imprimo::test {

using namespace imprimo::app;

/// The float sensor in a folder of its own, open in a window.
struct FloatStage {
  explicit FloatStage(const std::function<void(const QString&)>& change = {}) {
    copyFolder(QString(IMPRIMO_DEMO) + "/float", folder.path());
    if (change) change(folder.path());
    demo = std::make_unique<DemoBench>(folder.filePath("bench.json").toStdString(), false);
    window.resize(1280, 800);
    window.show();
    window.bench().keeping().open(folder.filePath("float-sensor.imprimo"));
  }
  bool connect() {
    window.bench().link().connectTo(QString::fromStdString(demo->address()));
    return QTest::qWaitFor([&] { return window.bench().link().state() == LinkState::Connected; }, kPatience);
  }
  bool untilPlanned() {
    return QTest::qWaitFor([&] { return window.bench().run().plan() && window.bench().run().plan()->complete; },
                           kPatience);
  }
  QTemporaryDir folder;
  std::unique_ptr<DemoBench> demo;
  MainWindow window{viewTable()};
};

}  // namespace imprimo::test
