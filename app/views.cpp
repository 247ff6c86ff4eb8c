// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/views.h"

#include "app/bench/bench_view.h"
#include "app/console/console_view.h"
#include "app/images/images_view.h"
#include "app/library/library_view.h"
#include "app/line/line_view.h"
#include "app/pins/pins_view.h"
#include "app/records/records_view.h"
#include "app/sheet/sheet_view.h"
#include "app/vectors/vectors_view.h"

namespace imprimo::app {

std::span<const ViewRow> viewTable() {
  static constexpr ViewRow kViews[] = {
      {"bench", QT_TRANSLATE_NOOP("Views", "Bench"), "Ctrl+1", makeBenchView},
      {"images", QT_TRANSLATE_NOOP("Views", "Images"), "Ctrl+2", makeImagesView},
      {"vectors", QT_TRANSLATE_NOOP("Views", "Vectors"), "Ctrl+3", makeVectorsView},
      {"pins", QT_TRANSLATE_NOOP("Views", "Pins"), "Ctrl+4", makePinsView},
      {"console", QT_TRANSLATE_NOOP("Views", "Console"), "Ctrl+5", makeConsoleView},
      {"line", QT_TRANSLATE_NOOP("Views", "Line"), "Ctrl+6", makeLineView},
      {"records", QT_TRANSLATE_NOOP("Views", "Records"), "Ctrl+7", makeRecordsView},
      // Pages: they have no tab, and are reached from the menu of sheets.
      {"sheet", QT_TRANSLATE_NOOP("Views", "Sheet page"), "Ctrl+Shift+D", makeSheetView, true},
      {"library", QT_TRANSLATE_NOOP("Views", "Library"), "Ctrl+Shift+L", makeLibraryView, true},
  };
  return kViews;
}

}  // namespace imprimo::app
