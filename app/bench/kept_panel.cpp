// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/kept_panel.h"

#include <QHBoxLayout>
#include <QLineEdit>

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
  more_ = new QLineEdit(this);
  more_->setObjectName("keepMore");
  more_->setAccessibleName(tr("Another range that is kept"));
  more_->setFont(byteFont(12));
  more_->setFrame(false);
  more_->setPlaceholderText(tr("keep A..B, or Shift on the map"));
  inside->addWidget(more_);
  connect(more_, &QLineEdit::returnPressed, this, [this] {
    if (more_->text().trimmed().isEmpty()) return;
    if (bench_.tasks().keepRange(bench_.document().sheet().keep.size(), more_->text())) more_->clear();
  });
  list_ = std::make_unique<KeptRows>(rows_, more_);
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::memoryChanged, &Workbench::settingsChanged})
    connect(&bench_, signal, this, &KeptPanel::rebuild, Qt::QueuedConnection);
  connect(&bench_, &Workbench::runChanged, this, [this] {
    const bool idle = !bench_.run().isRunning();
    for (QWidget* row : list_->rows()) {
      row->findChild<QLineEdit*>("keptRange")->setEnabled(idle);
      row->findChild<QToolButton*>("removeKept")->setEnabled(idle);
    }
    more_->setEnabled(idle);
  });
  rebuild();
}

void KeptPanel::showHint(bool hint) {
  hint_->setVisible(hint);
}

QWidget* KeptPanel::makeRow() {
  auto* row = new QWidget(this);
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  line->addWidget(mutedLabel(row, tr("kept")));
  auto* edit = new QLineEdit(row);
  edit->setObjectName("keptRange");
  edit->setFont(byteFont(12));
  edit->setFrame(false);
  auto* remove = smallButton(row, "×", {});
  remove->setObjectName("removeKept");
  line->addWidget(edit, 1);
  line->addWidget(remove);
  const auto index = [row] { return static_cast<std::size_t>(row->property("index").toInt()); };
  // A range that is none stays as it was typed, and is told.
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, index] {
    if (!edit->isModified()) return;
    edit->setModified(false);
    bench_.tasks().keepRange(index(), edit->text());
  });
  connect(remove, &QToolButton::clicked, this, [this, index] { bench_.tasks().keepNoLonger(index()); });
  return row;
}

void KeptPanel::rebuild() {
  const bool any = bench_.document().isOpen() && !bench_.memory().empty();
  QStringList texts;
  std::vector<std::size_t> indexes;
  if (any) {
    const auto& keep = bench_.document().sheet().keep;
    for (std::size_t i = 0; i < keep.size(); ++i) {
      if (keep[i].memory != bench_.memory()) continue;
      texts += MemoryTasks::typedRange(keep[i].range);
      indexes.push_back(i);
    }
  }
  list_->show(
      texts, [this] { return makeRow(); },
      [&](QWidget* row, std::size_t i) {
        row->setProperty("index", static_cast<int>(indexes[i]));
        const QString& text = texts[static_cast<qsizetype>(i)];
        auto* edit = row->findChild<QLineEdit*>("keptRange");
        edit->setAccessibleName(tr("Kept range %1").arg(i + 1));
        refill(edit, text);
        setWords(row->findChild<QToolButton*>("removeKept"), "×", tr("Keep %1 no longer").arg(text));
      });
  more_->setVisible(any);
}

}  // namespace imprimo::app
