// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/goes_in_panel.h"

#include "app/bench/piece_card.h"
#include "app/bench/unit_panel.h"

#include <QApplication>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QMimeData>
#include <QStyle>
#include <QToolButton>

#include "app/look/small_widgets.h"
#include "app/look/theme.h"
#include "core/base/number.h"

namespace imprimo::app {

GoesInPanel::GoesInPanel(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("goesIn");
  setAcceptDrops(true);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* head = new QHBoxLayout;
  auto* title = new QLabel(tr("Files"), this);
  title->setFont(textFont(14, QFont::DemiBold));
  add_ = smallButton(this, tr("add file…"), tr("Add a file"));
  add_->setObjectName("addFile");
  head->addWidget(title);
  head->addStretch(1);
  head->addWidget(add_);
  column->addLayout(head);
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  column->addLayout(cards_);
  rows_ = std::make_unique<KeptRows>(cards_, add_);
  edits_ = editsCard();
  edits_->hide();
  cards_->addWidget(edits_);
  kept_ = new KeptPanel(bench_, this);
  column->addWidget(kept_);
  column->addWidget(new UnitPanel(bench_, this));
  connect(add_, &QToolButton::clicked, this, &GoesInPanel::chooseFile);
  // Behind the event that asked for it: the row that was clicked may be one that goes.
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::memoryChanged, &Workbench::placementsChanged}) {
    connect(&bench_, signal, this, &GoesInPanel::rebuild, Qt::QueuedConnection);
  }
  connect(&bench_, &Workbench::runChanged, this, [this] {
    const bool idle = !bench_.run().isRunning();
    add_->setEnabled(idle);
    for (QWidget* row : rows_->rows()) static_cast<PieceCard*>(row)->setIdle(idle);
    if (edits_->isVisible() || idle) edits_->setEnabled(idle);
  });
  rebuild();
}

void GoesInPanel::rebuild() {
  const auto& placements = bench_.document().sheet().placements;
  struct Entry {
    std::size_t index = 0;
    const Piece* piece = nullptr;
  };
  std::vector<Entry> entries;
  QStringList names;
  const auto& pieces = bench_.run().pieces();
  for (std::size_t i = 0; i < placements.size(); ++i) {
    if (placements[i].memory != bench_.memory()) continue;
    const std::size_t at = entries.size();
    entries.push_back({i, at < pieces.size() && pieces[at].placement == placements[i] ? &pieces[at] : nullptr});
    names += QString::fromStdString(placements[i].file);
  }
  rows_->show(
      names, [this] { return new PieceCard(bench_, this); },
      [&](QWidget* row, std::size_t i) { static_cast<PieceCard*>(row)->show(entries[i].index, entries[i].piece); });
  std::size_t typed = 0;
  for (const sheet::Edit& e : bench_.document().sheet().editsIn(bench_.memory())) typed += e.bytes.size();
  showEdits(typed);
  kept_->showHint(entries.empty());
}

QFrame* GoesInPanel::editsCard() {
  auto* frame = new QFrame(this);
  frame->setObjectName("card");
  auto* row = new QHBoxLayout(frame);
  row->setContentsMargins(10, 6, 6, 6);
  editsName_ = smallButton(frame, {}, {});
  editsName_->setObjectName("editsName");
  auto* undo = smallButton(frame, tr("undo"), tr("Undo the last change (Ctrl+Z)"));
  auto* remove = smallButton(frame, "×", tr("Take all typed bytes out"));
  remove->setObjectName("removeEdits");
  row->addWidget(editsName_);
  row->addStretch(1);
  row->addWidget(undo);
  row->addWidget(remove);
  connect(editsName_, &QToolButton::clicked, this, [this] {
    const auto edits = bench_.document().sheet().editsIn(bench_.memory());
    if (!edits.empty()) bench_.cursor().jumpTo(edits.front().at);
  });
  connect(undo, &QToolButton::clicked, bench_.undoAction, &QAction::trigger);
  connect(remove, &QToolButton::clicked, this, [this] { bench_.document().removeEdits(bench_.memory()); });
  return frame;
}

void GoesInPanel::showEdits(std::size_t bytes) {
  if (bytes == 0) {
    if (edits_->isAncestorOf(QApplication::focusWidget())) add_->setFocus();
    return edits_->hide();
  }
  setWords(editsName_, tr("%1 typed").arg(QString::fromStdString(countText(bytes, "byte"))),
           tr("Go to the first of them"));
  edits_->show();
}

void GoesInPanel::chooseFile() {
  const QString folder = QString::fromStdString(bench_.document().sheet().folder().string());
  const QString path = QFileDialog::getOpenFileName(this, tr("Add a file"), folder);
  if (!path.isEmpty()) bench_.addFile(path);
}

void GoesInPanel::setOver(bool over) {
  kept_->setProperty("over", over);
  kept_->style()->unpolish(kept_);
  kept_->style()->polish(kept_);
}

void GoesInPanel::dragEnterEvent(QDragEnterEvent* event) {
  if (!event->mimeData()->hasUrls() || bench_.memory().empty() || bench_.run().isRunning()) return;
  event->acceptProposedAction();
  setOver(true);
}

void GoesInPanel::dragLeaveEvent(QDragLeaveEvent*) {
  setOver(false);
}

void GoesInPanel::dropEvent(QDropEvent* event) {
  setOver(false);
  QStringList files;
  for (const QUrl& url : event->mimeData()->urls()) {
    if (url.isLocalFile()) files += url.toLocalFile();
  }
  bench_.addFiles(files);
  event->acceptProposedAction();
}

}  // namespace imprimo::app
