// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractButton>
#include <QFile>
#include <QTemporaryDir>
#include <QTest>
#include <functional>
#include <memory>

#include "app/shell/demo_bench.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "core/base/input_file.h"
#include "tests/support/copy_folder.h"

namespace imprimo::test {

using namespace imprimo::app;

constexpr int kPatience = 30'000;

/// The demo in a folder of its own, open in a window.
struct Stage {
  explicit Stage(const std::function<void(QString&)>& changeBench = {}, bool connect = true, bool realTime = false,
                 const std::function<void(QString&)>& changeSheet = {}) {
    copyFolder(IMPRIMO_DEMO, folder.path());
    const QString benchFile = folder.filePath("bench.json");
    if (changeBench) change(benchFile, changeBench);
    if (changeSheet) change(folder.filePath("gauge-rev-b.imprimo"), changeSheet);
    demo = std::make_unique<DemoBench>(benchFile.toStdString(), realTime);
    window.resize(1280, 800);
    window.show();
    window.bench().keeping().open(folder.filePath("gauge-rev-b.imprimo"));
    if (connect) window.bench().link().connectTo(QString::fromStdString(demo->address()));
    if (connect) loadBridge();
  }
  /// What a user does who wants to see the flash; where it answers already, or cannot, nothing.
  void loadBridge() {
    const bool asked = QTest::qWaitFor([&] { return window.bench().link().report().has_value(); }, kPatience);
    if (!asked || window.bench().link().state() != LinkState::Connected || !window.bench().neededBridge()) return;
    window.bench().bridgeAction->trigger();
    QVERIFY(QTest::qWaitFor(
        [&] {
          return !window.bench().run().isRunning() && (!window.bench().neededBridge() || window.bench().run().record());
        },
        kPatience));
  }
  static void change(const QString& path, const std::function<void(QString&)>& how) {
    QString text = QString::fromStdString(readTextFile(path.toStdString()));
    how(text);
    QFile file(path);
    if (file.open(QIODevice::WriteOnly)) file.write(text.toUtf8());
  }
  bool untilPlanned() {
    return QTest::qWaitFor(
        [&] {
          return window.bench().run().plan() && window.bench().run().plan()->complete && !window.bench().run().record();
        },
        kPatience);
  }
  bool untilDone() {
    return QTest::qWaitFor([&] { return window.bench().run().record() != nullptr; }, kPatience);
  }
  template <typename T>
  T* find(const char* name) {
    return window.findChild<T*>(name);
  }
  void click(const char* name) { QTest::mouseClick(find<QAbstractButton>(name), Qt::LeftButton); }
  Bytes cells(std::uint64_t from, std::size_t count) {
    return demo->with([&](sim::Bench& b) {
      Bytes bytes;
      for (std::size_t i = 0; i < count; ++i) bytes.push_back(b.flash("boot-flash").cells().get(from + i));
      return bytes;
    });
  }
  std::uint64_t erases() {
    return demo->with([](sim::Bench& b) {
      std::uint64_t sum = 0;
      for (const auto& [code, count] : b.flash("boot-flash").commands())
        sum += code == 0x20 || code == 0x52 || code == 0xD8 ? count : 0;
      return sum;
    });
  }
  QTemporaryDir folder;
  std::unique_ptr<DemoBench> demo;
  MainWindow window{viewTable()};
};

}  // namespace imprimo::test
