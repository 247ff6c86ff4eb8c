// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/kept_panel.h"

#include <QHBoxLayout>
#include <QLineEdit>

#include "app/look/empty_layout.h"
#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {

KeptPanel::KeptPanel(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("kept");
  auto* inside = new QVBoxLayout(this);
  inside->setContentsMargins(10, 7, 6, 7);
  inside->setSpacing(2);
  hint_ = mutedLabel(this, tr("drop files here"));
  hint_->setAlignment(Qt::AlignCenter);
  rows_ = new QVBoxLayout;
  rows_->setSpacing(2);
  inside->addWidget(hint_);
  inside->addLayout(rows_);
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::memoryChanged, &Workbench::settingsChanged})
    connect(&bench_, signal, this, &KeptPanel::rebuild, Qt::QueuedConnection);
  connect(&bench_, &Workbench::runChanged, this, [this] { setEnabled(!bench_.run().isRunning()); });
  rebuild();
}

void KeptPanel::showHint(bool hint) {
  hint_->setVisible(hint);
}

void KeptPanel::addRow(std::size_t index, const AddressRange& range) {
  auto* row = new QWidget(this);
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  line->addWidget(mutedLabel(row, tr("kept")));
  auto* edit = new QLineEdit(MemoryTasks::typedRange(range), row);
  edit->setObjectName("keptRange");
  edit->setAccessibleName(tr("Kept range"));
  edit->setFont(byteFont(12));
  edit->setFrame(false);
  auto* remove = smallButton(row, "×", tr("Keep %1 no longer").arg(QString::fromStdString(rangeText(range))));
  remove->setObjectName("removeKept");
  line->addWidget(edit, 1);
  line->addWidget(remove);
  rows_->addWidget(row);
  // A range that is none stays as it was typed, and is told.
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, index] {
    if (!edit->isModified()) return;
    edit->setModified(false);
    bench_.tasks().keepRange(index, edit->text());
  });
  connect(remove, &QToolButton::clicked, this, [this, index] { bench_.tasks().keepNoLonger(index); });
}

void KeptPanel::rebuild() {
  emptyLayout(rows_);
  if (!bench_.document().isOpen() || bench_.memory().empty()) return;
  const auto& keep = bench_.document().sheet().keep;
  for (std::size_t i = 0; i < keep.size(); ++i) {
    if (keep[i].memory == bench_.memory()) addRow(i, keep[i].range);
  }
  auto* more = new QLineEdit(this);
  more->setObjectName("keepMore");
  more->setAccessibleName(tr("Another range that is kept"));
  more->setFont(byteFont(12));
  more->setFrame(false);
  more->setPlaceholderText(tr("keep A..B, or Shift on the map"));
  rows_->addWidget(more);
  connect(more, &QLineEdit::returnPressed, this, [this, more] {
    if (!more->text().trimmed().isEmpty())
      bench_.tasks().keepRange(bench_.document().sheet().keep.size(), more->text());
  });
}

}  // namespace imprimo::app
