// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/goes_in_panel.h"

#include "app/bench/unit_panel.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMimeData>
#include <QStyle>
#include <QToolButton>

#include "app/look/address_text.h"
#include "app/look/small_widgets.h"
#include "app/look/theme.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

QString fileNameOf(const Placement& placement) {
  return QFileInfo(QString::fromStdString(placement.file)).fileName();
}

}  // namespace

GoesInPanel::GoesInPanel(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("goesIn");
  setAcceptDrops(true);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* head = new QHBoxLayout;
  auto* title = new QLabel(tr("Files"), this);
  title->setFont(textFont(14, QFont::DemiBold));
  auto* add = smallButton(this, tr("add file…"), tr("Add a file"));
  add->setObjectName("addFile");
  head->addWidget(title);
  head->addStretch(1);
  head->addWidget(add);
  column->addLayout(head);
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  column->addLayout(cards_);
  kept_ = new KeptPanel(bench_, this);
  column->addWidget(kept_);
  column->addWidget(new UnitPanel(bench_, this));
  connect(add, &QToolButton::clicked, this, &GoesInPanel::chooseFile);
  // Rebuilt behind the event that asked for it: the button that was clicked is one of those that go.
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::memoryChanged, &Workbench::placementsChanged}) {
    connect(&bench_, signal, this, &GoesInPanel::rebuild, Qt::QueuedConnection);
  }
  connect(&bench_, &Workbench::runChanged, this, [this, add] {
    const bool idle = !bench_.run().isRunning();
    add->setEnabled(idle);
    for (QFrame* card : findChildren<QFrame*>("card")) card->setEnabled(idle);
  });
  rebuild();
}

void GoesInPanel::rebuild() {
  while (QLayoutItem* item = cards_->takeAt(0)) {
    if (item->widget() != nullptr) item->widget()->deleteLater();
    delete item;
  }
  const auto& placements = bench_.document().sheet().placements;
  std::size_t inMemory = 0;
  for (std::size_t i = 0; i < placements.size(); ++i) {
    if (placements[i].memory != bench_.memory()) continue;
    const auto& pieces = bench_.run().pieces();
    const Piece* piece =
        inMemory < pieces.size() && pieces[inMemory].placement == placements[i] ? &pieces[inMemory] : nullptr;
    cards_->addWidget(card(i, piece));
    ++inMemory;
  }
  std::size_t typed = 0;
  for (const sheet::Edit& e : bench_.document().sheet().editsIn(bench_.memory())) typed += e.bytes.size();
  if (typed > 0) cards_->addWidget(editsCard(typed));
  kept_->showHint(inMemory == 0);
}

QFrame* GoesInPanel::card(std::size_t index, const Piece* piece) {
  const Placement placement = bench_.document().sheet().placements[index];
  auto* frame = new QFrame(this);
  frame->setObjectName("card");
  auto* column = new QVBoxLayout(frame);
  column->setContentsMargins(10, 6, 6, 6);
  column->setSpacing(1);
  column->addLayout(cardHead(index, piece, frame));

  auto* bottom = new QHBoxLayout;
  const QString fileName = fileNameOf(placement);
  auto* address = new QLineEdit(frame);
  address->setObjectName("pieceAddress");
  address->setAccessibleName(tr("Address of %1").arg(fileName));
  address->setFont(byteFont(12));
  address->setFixedWidth(98);
  address->setText(placement.at ? QString::fromStdString(hexAddress(*placement.at)) : QString());
  address->setPlaceholderText(piece != nullptr && piece->format != ImageFormat::Raw ? tr("from file")
                                                                                    : tr("set address"));
  auto* bits = smallButton(frame, placement.reversed ? tr("bits reversed") : tr("bits as they are"),
                           tr("Swap bit 7 and bit 0 of each byte"));
  bits->setObjectName("pieceBits");
  auto* up = smallButton(frame, "▴", tr("Move %1 up").arg(fileName));
  auto* down = smallButton(frame, "▾", tr("Move %1 down").arg(fileName));
  up->setObjectName("pieceUp");
  down->setObjectName("pieceDown");
  bottom->addWidget(address);
  bottom->addWidget(bits);
  bottom->addStretch(1);
  bottom->addWidget(up);
  bottom->addWidget(down);
  column->addLayout(bottom);

  connect(bits, &QToolButton::clicked, this, [document = &bench_.document(), index, placement] {
    Placement changed = placement;
    changed.reversed = !changed.reversed;
    document->setPlacement(index, changed);
  });
  connectAddress(address, index);
  connectOrder(up, down, index);
  return frame;
}

/// Name, size and the way out of the list.
QHBoxLayout* GoesInPanel::cardHead(std::size_t index, const Piece* piece, QFrame* frame) {
  auto* top = new QHBoxLayout;
  const QString fileName = fileNameOf(bench_.document().sheet().placements[index]);
  auto* name = smallButton(frame, fileName, tr("Go to where %1 begins").arg(fileName));
  name->setObjectName("pieceName");
  name->setFont(textFont(13, QFont::DemiBold));
  name->setProperty("role", "name");
  auto* size = new QLabel(
      piece != nullptr ? QString::fromStdString(sizeText(piece->image.byteCount())) : tr("not readable"), frame);
  size->setProperty("role", piece != nullptr ? "muted" : "differs");
  size->setFont(textFont(12));
  auto* remove = smallButton(frame, "×", tr("Take %1 out").arg(fileName));
  remove->setObjectName("removePiece");
  top->addWidget(name);
  top->addStretch(1);
  top->addWidget(size);
  top->addWidget(remove);
  connect(remove, &QToolButton::clicked, this,
          [document = &bench_.document(), index] { document->removePlacement(index); });
  if (piece != nullptr) {
    connect(name, &QToolButton::clicked, this,
            [this, at = piece->image.extent().begin] { bench_.cursor().jumpTo(at); });
  }
  return top;
}

void GoesInPanel::connectAddress(QLineEdit* address, std::size_t index) {
  connect(address, &QLineEdit::editingFinished, this,
          [this, index, placement = bench_.document().sheet().placements[index], address] {
            Placement changed = placement;
            changed.at = address->text().trimmed().isEmpty() ? std::nullopt : parseAddress(address->text());
            if (!changed.at && !address->text().trimmed().isEmpty()) {
              emit bench_.message(tr("'%1' is no address: write 0x1F400, 128000 or 125K.").arg(address->text()), true);
              address->setText(placement.at ? QString::fromStdString(hexAddress(*placement.at)) : QString());
              return;
            }
            bench_.document().setPlacement(index, changed);
          });
}

/// Up and down among the files of the same memory.
void GoesInPanel::connectOrder(QToolButton* up, QToolButton* down, std::size_t index) {
  const auto neighbour = [document = &bench_.document(), index](int step) -> std::optional<std::size_t> {
    const auto& all = document->sheet().placements;
    for (auto i = static_cast<std::ptrdiff_t>(index) + step; i >= 0 && i < static_cast<std::ptrdiff_t>(all.size());
         i += step) {
      if (all[static_cast<std::size_t>(i)].memory == all[index].memory) return static_cast<std::size_t>(i);
    }
    return std::nullopt;
  };
  for (const auto& [button, step] : {std::pair{up, -1}, std::pair{down, 1}}) {
    button->setEnabled(neighbour(step).has_value());
    connect(button, &QToolButton::clicked, this,
            [this, index, neighbour, step = step] { bench_.document().movePlacement(index, *neighbour(step)); });
  }
}

QFrame* GoesInPanel::editsCard(std::size_t bytes) {
  auto* frame = new QFrame(this);
  frame->setObjectName("card");
  auto* row = new QHBoxLayout(frame);
  row->setContentsMargins(10, 6, 6, 6);
  auto* name = smallButton(frame, tr("%1 typed").arg(QString::fromStdString(countText(bytes, "byte"))),
                           tr("Go to the first of them"));
  name->setObjectName("editsName");
  auto* undo = smallButton(frame, tr("undo"), tr("Undo the last change (Ctrl+Z)"));
  auto* remove = smallButton(frame, "×", tr("Take all typed bytes out"));
  remove->setObjectName("removeEdits");
  row->addWidget(name);
  row->addStretch(1);
  row->addWidget(undo);
  row->addWidget(remove);
  const std::uint64_t first = bench_.document().sheet().editsIn(bench_.memory()).front().at;
  connect(name, &QToolButton::clicked, this, [this, first] { bench_.cursor().jumpTo(first); });
  connect(undo, &QToolButton::clicked, bench_.undoAction, &QAction::trigger);
  connect(remove, &QToolButton::clicked, this, [this] { bench_.document().removeEdits(bench_.memory()); });
  return frame;
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
  for (const QUrl& url : event->mimeData()->urls()) {
    if (url.isLocalFile()) bench_.addFile(url.toLocalFile());
  }
  event->acceptProposedAction();
}

}  // namespace imprimo::app
