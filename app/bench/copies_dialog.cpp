// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/copies_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "core/base/number.h"
#include "core/run/job.h"

namespace imprimo::app {

CopiesDialog::CopiesDialog(Workbench& bench, QWidget* parent) : QDialog(parent), bench_(bench) {
  setObjectName("copiesDialog");
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(tr("Saved copies"));
  resize(760, 380);
  auto* column = new QVBoxLayout(this);
  table_ = new QTableWidget(0, 5, this);
  table_->setObjectName("copiesTable");
  table_->setAccessibleName(tr("Saved copies"));
  table_->setHorizontalHeaderLabels({tr("Made (UTC)"), tr("Memory"), tr("Part"), tr("Size"), tr("Addresses")});
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->verticalHeader()->hide();
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->setFont(textFont(12));
  words_ = mutedLabel(this, {});
  words_->setObjectName("copiesWords");
  words_->setWordWrap(true);
  anyPart_ = new QCheckBox(tr("also into a part with another ID"), this);
  anyPart_->setObjectName("anyPart");
  putBack_ = new QPushButton(tr("Put back"), this);
  putBack_->setObjectName("putBack");
  putBack_->setProperty("role", "main");
  auto* row = new QHBoxLayout;
  row->addWidget(words_, 1);
  row->addWidget(anyPart_);
  row->addWidget(putBack_);
  column->addWidget(table_, 1);
  column->addLayout(row);
  connect(table_, &QTableWidget::currentCellChanged, this, &CopiesDialog::updateButton);
  connect(anyPart_, &QCheckBox::toggled, this, &CopiesDialog::updateButton);
  connect(&bench_, &Workbench::linkChanged, this, &CopiesDialog::updateButton);
  connect(&bench_, &Workbench::memoryChanged, this, &CopiesDialog::updateButton);
  connect(&bench_, &Workbench::runChanged, this, [this] { bench_.run().isRunning() ? updateButton() : refresh(); });
  connect(putBack_, &QPushButton::clicked, this, [this] {
    if (const run::StoredCopy* copy = current()) bench_.tasks().putBack(*copy, anyPart_->isChecked());
  });
  refresh();
}

const run::StoredCopy* CopiesDialog::current() const {
  const int row = table_->currentRow();
  return row >= 0 && static_cast<std::size_t>(row) < copies_.size() ? &copies_[static_cast<std::size_t>(row)] : nullptr;
}

void CopiesDialog::refresh() {
  const QString chosen = current() != nullptr ? QString::fromStdString(current()->path.string()) : QString();
  std::vector<std::string> unreadable;
  copies_ = store::userCopies().list(&unreadable);
  for (const std::string& what : unreadable) emit bench_.message(QString::fromStdString(what), true);
  table_->setRowCount(static_cast<int>(copies_.size()));
  int row = 0;
  for (const run::StoredCopy& copy : copies_) {
    const QString where = copy.ranges.empty()
                              ? QString()
                              : QString::fromStdString(rangeText(copy.ranges.front())) +
                                    (copy.ranges.size() > 1 ? tr(" and %1 more").arg(copy.ranges.size() - 1) : "");
    const QString made = QString::fromStdString(copy.made).replace('T', ' ').remove('Z');
    const QString texts[] = {copy.of.unfinished ? tr("%1 (an unfinished state)").arg(made) : made,
                             QString::fromStdString(copy.of.memory), QString::fromStdString(copy.of.identity),
                             QString::fromStdString(sizeText(copy.bytes())), where};
    for (int c = 0; c < 5; ++c) table_->setItem(row, c, new QTableWidgetItem(texts[c]));
    if (QString::fromStdString(copy.path.string()) == chosen) table_->setCurrentCell(row, 0);
    ++row;
  }
  table_->resizeColumnsToContents();
  updateButton();
}

void CopiesDialog::updateButton() {
  const run::StoredCopy* copy = current();
  QString why;
  if (copies_.empty()) {
    why = tr("Nothing was destroyed yet, so there is no copy.");
  } else if (copy == nullptr) {
    why = tr("Choose a copy to put back into %1.").arg(QString::fromStdString(bench_.memory()));
  } else if (!bench_.tasks().canAsk() || bench_.identity() == nullptr) {
    why = tr("Connect the board to put it back.");
  } else {
    try {
      run::requireFitting(*copy, *bench_.identity(), anyPart_->isChecked());
    } catch (const Error& e) {
      why = sentence(QString::fromStdString(e.what())) + ".";
    }
  }
  putBack_->setEnabled(why.isEmpty());
  words_->setText(
      why.isEmpty() ? tr("%1 goes back into %2; what is there now is saved first.")
                          .arg(QString::fromStdString(sizeText(copy->bytes())), QString::fromStdString(bench_.memory()))
                    : why);
}

}  // namespace imprimo::app
