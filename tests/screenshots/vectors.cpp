// SPDX-License-Identifier: GPL-3.0-or-later
#include <QRegularExpression>

#include "app/vectors/vectors_view.h"
#include "app/views.h"
#include "tests/screenshots/camera.h"

namespace imprimo::test {
namespace {

/// Only the table and the fallback, so that the strip shows more than one step.
const auto kLessToWrite = [](QString& sheet) {
  sheet.remove(R"(    {"memory": "boot-flash", "file": "echo_correlator.bin", "at": "0x0", "bits": "reversed"},
)");
};

/// A part whose longest times are short, so that a file for it is not mostly waits.
const auto kQuick = [](QString& bench) {
  bench.replace(
      QRegularExpression("\"times\": \\{\"page\"[^}]*\\}"),
      R"("times": {"page": [0.0004, 0.0007], "4K": [0.01, 0.02], "32K": [0.02, 0.04], "64K": [0.03, 0.05], "chip": [1, 9]})");
};

std::unique_ptr<MainWindow> atVectors(Camera& camera, DemoBench& bench, const QString& file) {
  auto window = camera.ready(&bench, {1280, 800}, false);
  window->findChild<QAction*>("vectorsTab")->trigger();
  VectorDocument& document = window->view<VectorsView>().document();
  document.makePreview();
  if (!file.isEmpty()) document.savePreview(file);
  waitUntil([&] { return document.survey().whole && document.facts(); });
  return window;
}

}  // namespace

void takeVectors(const QString& pictures, const QString& demo) {
  {
    // One bit of the table does not take.
    Variant variant(demo, kLessToWrite, [](QString& bench) {
      kQuick(bench);
      bench.replace(R"({"kind": "jitter", "mask": 5})", R"({"kind": "stuck-high", "at": "0x6A0404", "mask": 255})");
    });
    Camera camera(pictures, variant.folder.path());
    DemoBench bench(variant.folder.filePath("bench.json").toStdString(), false);
    auto window = atVectors(camera, bench, variant.folder.filePath("boot_flash_update.svf"));
    VectorDocument& document = window->view<VectorsView>().document();
    document.playing().play();
    waitUntil([&] { return document.playing().state() == PlayState::AtMismatch; });
    camera.take("vectors-mismatch", *window);
    document.playing().stop();
    waitUntil([&] { return document.playing().state() == PlayState::Ended; });
  }
}

}  // namespace imprimo::test
