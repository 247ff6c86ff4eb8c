// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/piece_card.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QStyle>

#include "app/look/address_text.h"
#include "app/look/kept_rows.h"
#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {

PieceCard::PieceCard(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("card");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(10, 6, 6, 6);
  column->setSpacing(1);
  auto* top = new QHBoxLayout;
  name_ = smallButton(this, {}, {});
  name_->setObjectName("pieceName");
  name_->setFont(textFont(13, QFont::DemiBold));
  name_->setProperty("role", "name");
  size_ = mutedLabel(this, {});
  top->addWidget(name_);
  top->addStretch(1);
  top->addWidget(size_);
  auto* bottom = new QHBoxLayout;
  address_ = new QLineEdit(this);
  address_->setObjectName("pieceAddress");
  address_->setFont(byteFont(12));
  address_->setFixedWidth(98);
  bits_ = smallButton(this, {}, {});
  bits_->setObjectName("pieceBits");
  up_ = smallButton(this, "▴", {});
  up_->setObjectName("pieceUp");
  down_ = smallButton(this, "▾", {});
  down_->setObjectName("pieceDown");
  remove_ = smallButton(this, "×", {});
  remove_->setObjectName("removePiece");
  top->addWidget(remove_);
  bottom->addWidget(address_);
  bottom->addWidget(bits_);
  bottom->addStretch(1);
  bottom->addWidget(up_);
  bottom->addWidget(down_);
  column->addLayout(top);
  column->addLayout(bottom);
  connect(name_, &QToolButton::clicked, this, [this] {
    if (begin_) bench_.cursor().jumpTo(*begin_);
  });
  connect(remove_, &QToolButton::clicked, this, [this] {
    if (isCurrent()) bench_.document().removePlacement(index_);
  });
  connect(bits_, &QToolButton::clicked, this, [this] {
    if (!isCurrent()) return;
    Placement changed = placement();
    changed.reversed = !changed.reversed;
    bench_.document().setPlacement(index_, changed);
  });
  connect(address_, &QLineEdit::editingFinished, this, &PieceCard::takeAddress);
  for (const auto& [button, step] : {std::pair{up_, -1}, std::pair{down_, 1}}) {
    connect(button, &QToolButton::clicked, this, [this, step = step] {
      if (const auto to = neighbour(step)) bench_.document().movePlacement(index_, *to);
    });
  }
}

void PieceCard::show(std::size_t index, const Piece* piece) {
  index_ = index;
  begin_ = piece != nullptr ? std::optional(piece->image.extent().begin) : std::nullopt;
  const Placement& placed = placement();
  file_ = placed.file;
  memory_ = placed.memory;
  const QString file = QFileInfo(QString::fromStdString(placed.file)).fileName();
  setWords(name_, file, tr("Go to where %1 begins").arg(file));
  size_->setText(piece != nullptr ? QString::fromStdString(sizeText(piece->image.byteCount())) : tr("not readable"));
  setRole(size_, piece != nullptr ? "muted" : "differs");
  address_->setAccessibleName(tr("Address of %1").arg(file));
  address_->setPlaceholderText(piece != nullptr && piece->format != ImageFormat::Raw ? tr("from file")
                                                                                     : tr("set address"));
  refill(address_, addressText());
  setWords(bits_, placed.reversed ? tr("bits reversed") : tr("bits as they are"),
           tr("%1: swap bit 7 and bit 0 of each byte").arg(file));
  setWords(up_, "▴", tr("Move %1 up").arg(file));
  setWords(down_, "▾", tr("Move %1 down").arg(file));
  setWords(remove_, "×", tr("Take %1 out").arg(file));
  // Whoever moves a file as far as it goes can go on from the other arrow.
  const bool hadKeys = up_->hasFocus() || down_->hasFocus();
  setIdle(idle_);
  if (hadKeys && !up_->isEnabled() && !down_->isEnabled()) address_->setFocus();
  if (hadKeys && !up_->isEnabled() && down_->isEnabled()) down_->setFocus();
  if (hadKeys && up_->isEnabled() && !down_->isEnabled()) up_->setFocus();
}

/// One by one, not the card with all that it says: readers would be told of each word.
void PieceCard::setIdle(bool idle) {
  idle_ = idle;
  for (QWidget* each : std::initializer_list<QWidget*>{address_, bits_, remove_}) each->setEnabled(idle);
  up_->setEnabled(idle && neighbour(-1).has_value());
  down_->setEnabled(idle && neighbour(1).has_value());
}

bool PieceCard::isCurrent() const {
  const auto& all = bench_.document().sheet().placements;
  return index_ < all.size() && all[index_].file == file_ && all[index_].memory == memory_;
}

/// The next one, up or down, among the files of the same memory.
std::optional<std::size_t> PieceCard::neighbour(int step) const {
  if (!isCurrent()) return std::nullopt;
  const auto& all = bench_.document().sheet().placements;
  for (auto i = static_cast<std::ptrdiff_t>(index_) + step; i >= 0 && i < static_cast<std::ptrdiff_t>(all.size());
       i += step) {
    if (all[static_cast<std::size_t>(i)].memory == all[index_].memory) return static_cast<std::size_t>(i);
  }
  return std::nullopt;
}

QString PieceCard::addressText() const {
  return placement().at ? QString::fromStdString(hexAddress(*placement().at)) : QString();
}

void PieceCard::takeAddress() {
  if (!address_->isModified() || !isCurrent()) return;
  address_->setModified(false);
  Placement changed = placement();
  const QString typed = address_->text().trimmed();
  changed.at = typed.isEmpty() ? std::nullopt : parseAddress(typed);
  if (!changed.at && !typed.isEmpty()) {
    emit bench_.inputRefused(noAddress(typed));
    address_->setText(addressText());
    return;
  }
  emit bench_.inputMended();
  bench_.document().setPlacement(index_, changed);
  // As the sheet has it, also where that is what it was before.
  address_->setText(addressText());
}

}  // namespace imprimo::app
