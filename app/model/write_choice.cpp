// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/write_choice.h"

#include "app/model/workbench.h"
#include "core/base/number.h"

namespace imprimo::app {

WriteChoice::WriteChoice(Workbench& bench) : bench_(bench) {}

void WriteChoice::setIntent(Intent intent) {
  if (intent == intent_ || bench_.session().isBusy()) return;
  intent_ = intent;
  emit changed();
}

void WriteChoice::reset() {
  intent_ = Intent::Write;
  wholeBlocks_ = skipKept_ = noErase_ = false;
}

void WriteChoice::choose(bool& choice, bool on) {
  if (on == choice || bench_.session().isBusy()) return;
  choice = on;
  emit changed();
}

std::vector<AddressRange> WriteChoice::eraseRanges() const {
  const SheetDocument& document = bench_.document();
  return document.isOpen() ? document.sheet().listedToErase(bench_.memory()) : std::vector<AddressRange>{};
}

void WriteChoice::addEraseRange(const AddressRange& range) {
  const auto g = bench_.geometry();
  if (range.empty() || (g && (range.begin < g->base || range.end > g->whole().end))) {
    emit message(g ? tr("%1 reaches past the end of %2, which is at %3.")
                         .arg(QString::fromStdString(rangeText(range)), QString::fromStdString(bench_.memory()),
                              QString::fromStdString(hexAddress(g->whole().end - 1)))
                   : tr("The range is empty."),
                 true);
    return;
  }
  RangeSet all(eraseRanges());
  all.add(range);
  bench_.document().setEraseList(bench_.memory(), all.ranges());
}

void WriteChoice::removeEraseRange(std::size_t index) {
  std::vector<AddressRange> ranges = eraseRanges();
  if (index >= ranges.size()) return;
  ranges.erase(ranges.begin() + static_cast<std::ptrdiff_t>(index));
  bench_.document().setEraseList(bench_.memory(), ranges);
}

}  // namespace imprimo::app
