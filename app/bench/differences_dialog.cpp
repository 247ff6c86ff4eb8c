// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/differences_dialog.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/atomic_file.h"
#include "core/base/number.h"
#include "core/image/compare.h"

namespace imprimo::app {
namespace {

constexpr std::size_t kMostListed = 4096;

QString bytesText(const Bytes& bytes, std::uint64_t all) {
  QString text;
  for (const std::uint8_t b : bytes) text += QString("%1 ").arg(b, 2, 16, QChar('0')).toUpper();
  return text.trimmed() + (all > bytes.size() ? " …" : "");
}

}  // namespace

DifferencesDialog::DifferencesDialog(Workbench& bench, QWidget* parent) : QDialog(parent), bench_(bench) {
  setObjectName("differencesDialog");
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(tr("Differences"));
  resize(720, 420);
  auto* column = new QVBoxLayout(this);
  words_ = mutedLabel(this, {});
  words_->setObjectName("differencesWords");
  table_ = new QTableWidget(0, 4, this);
  table_->setObjectName("differencesTable");
  table_->setAccessibleName(tr("Differences"));
  table_->setHorizontalHeaderLabels({tr("Where"), tr("Bytes"), tr("Planned"), tr("On the part")});
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->verticalHeader()->hide();
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->setFont(byteFont(12));
  auto* row = new QHBoxLayout;
  auto* save = new QPushButton(tr("Report to a file…"), this);
  save->setObjectName("differencesReport");
  row->addWidget(words_);
  row->addStretch(1);
  row->addWidget(save);
  column->addWidget(table_, 1);
  column->addLayout(row);
  connect(table_, &QTableWidget::currentCellChanged, this, [this](int now) {
    if (now >= 0 && static_cast<std::size_t>(now) < ranges_.size())
      bench_.cursor().jumpTo(ranges_[static_cast<std::size_t>(now)].begin);
  });
  connect(save, &QPushButton::clicked, this, [this] {
    const QString file = QFileDialog::getSaveFileName(this, tr("Report to a file"), "differences.txt");
    if (file.isEmpty()) return;
    try {
      exportTo(file);
      emit bench_.message(tr("Wrote %1.").arg(file), false);
    } catch (const Error& e) {
      emit bench_.message(told(e), true);
    }
  });
  // While a run goes on the list would change thirty times a second.
  for (const auto signal : {&Workbench::looksChanged, &Workbench::runChanged})
    connect(&bench_, signal, this, [this] { bench_.run().isRunning() ? void() : refresh(); });
  refresh();
}

void DifferencesDialog::refresh() {
  const std::vector<AddressRange> now = bench_.tasks().differences(kMostListed);
  const bool more = now.size() == kMostListed;
  words_->setText(now.empty() ? tr("No difference seen, as far as was read.")
                              : tr("%1 in %2%3")
                                    .arg(QString::fromStdString(countText(bench_.looks().differingBytes(), "byte")),
                                         QString::fromStdString(countText(now.size(), "range")),
                                         more ? tr("; the first are listed, the report has all") : QString()));
  if (now == ranges_ && table_->rowCount() > 0) return;
  ranges_ = now;
  constexpr std::uint64_t kShown = 8;
  const QSignalBlocker quiet(table_);
  table_->setRowCount(static_cast<int>(now.size()));
  for (std::size_t i = 0; i < now.size(); ++i) {
    const AddressRange first{now[i].begin, std::min(now[i].end, now[i].begin + kShown)};
    const QString texts[] = {QString::fromStdString(rangeText(now[i])), QString::number(now[i].size()),
                             bytesText(bench_.looks().planned().bytes(first), now[i].size()),
                             bytesText(bench_.looks().contents().bytes(first), now[i].size())};
    for (int c = 0; c < 4; ++c) table_->setItem(static_cast<int>(i), c, new QTableWidgetItem(texts[c]));
  }
  table_->resizeColumnsToContents();
}

void DifferencesDialog::exportTo(const QString& file) const {
  constexpr std::size_t kRows = 16;
  const MemoryImage& planned = bench_.looks().planned();
  const MemoryImage found = heldWhere(planned, bench_.looks().contents());
  writeFileAtomically(file.toStdString(), differenceReport(planned, found, compareImages(planned, found), "planned",
                                                           bench_.memory(), kRows));
}

}  // namespace imprimo::app
