// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_card.h"

#include <QHBoxLayout>
#include <QStyle>

#include "app/look/address_text.h"
#include "app/look/kept_rows.h"
#include "app/look/small_widgets.h"
#include "app/look/text.h"
#include "app/look/theme_notice.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

/// What is done to the file, in few words.
QString changesText(const Placement& p, const PlacedFile& file) {
  QStringList words;
  if (file.source) {
    words += p.pattern           ? QObject::tr("pattern")
             : p.wrapper.empty() ? QString(nameOf(file.source->file.format))
                                 : text(file.source->file.note);
  }
  if (p.cut) words += QObject::tr("cut");
  if (p.reversed) words += QObject::tr("bits reversed");
  if (p.swap > 1) words += QObject::tr("%1-bit words swapped").arg(p.swap * 8);
  if (p.after) words += QObject::tr("after the previous one");
  if (p.align)
    words += *p.align == kEraseBlock ? QObject::tr("on a block")
                                     : QObject::tr("on a multiple of %1").arg(text(sizeText(*p.align)));
  if (p.pad) words += QObject::tr("padded");
  return words.join(" · ");
}

}  // namespace

ImageCard::ImageCard(ImageDocument& document, QWidget* parent) : QFrame(parent), document_(document) {
  setObjectName("card");
  connect(&ThemeNotice::get(), &ThemeNotice::changed, this, &ImageCard::colour);
  auto* outer = new QHBoxLayout(this);
  outer->setContentsMargins(0, 0, 6, 0);
  stripe_ = new QFrame(this);
  stripe_->setFixedWidth(4);
  outer->addWidget(stripe_);
  auto* column = new QVBoxLayout;
  column->setContentsMargins(4, 5, 0, 6);
  column->setSpacing(3);
  outer->addLayout(column, 1);
  auto* top = new QHBoxLayout;
  name_ = smallButton(this, {}, {});
  name_->setObjectName("imageFileName");
  name_->setFont(textFont(13, QFont::DemiBold));
  name_->setProperty("role", "name");
  size_ = mutedLabel(this, {});
  top->addWidget(name_);
  top->addStretch(1);
  top->addWidget(size_);
  column->addLayout(top);
  what_ = mutedLabel(this, {});
  what_->setIndent(3);
  column->addWidget(what_);
  reading_ = readingRow();
  column->addWidget(reading_);
  problem_ = new QLabel(this);
  problem_->setProperty("role", "differs");
  problem_->setFont(textFont(11));
  problem_->setWordWrap(true);
  column->addWidget(problem_);
  auto* bottom = new QHBoxLayout;
  address_ = new QLineEdit(this);
  address_->setObjectName("imageAddress");
  address_->setFont(byteFont(12));
  address_->setFixedWidth(104);
  more_ = smallButton(this, "⋯", {});
  more_->setObjectName("imageFileMenu");
  remove_ = smallButton(this, "×", {});
  remove_->setObjectName("removeImageFile");
  bottom->addWidget(address_);
  bottom->addStretch(1);
  bottom->addWidget(more_);
  bottom->addWidget(remove_);
  column->addLayout(bottom);
  connect(name_, &QToolButton::clicked, this, [this] { document_.select(index_); });
  connect(address_, &QLineEdit::editingFinished, this, &ImageCard::takeAddress);
  connect(address_, &QLineEdit::textEdited, this, [this] { setWrong(address_, false); });
  connect(more_, &QToolButton::clicked, this,
          [this] { emit menuWanted(index_, more_->mapToGlobal(QPoint(0, more_->height()))); });
  connect(remove_, &QToolButton::clicked, this, [this] { document_.remove(index_); });
}

/// In the place of a file that is being read.
QWidget* ImageCard::readingRow() {
  auto* whole = new QWidget(this);
  auto* row = new QHBoxLayout(whole);
  row->setContentsMargins(0, 0, 0, 0);
  auto* reading = new QLabel(tr("Being read …"), whole);
  reading->setObjectName("fileReading");
  reading->setProperty("role", "muted");
  reading->setFont(textFont(11));
  auto* stop = smallButton(whole, tr("stop"), tr("Stop reading"));
  stop->setObjectName("fileStopReading");
  connect(stop, &QToolButton::clicked, &document_, &ImageDocument::stopReading);
  connect(&document_, &ImageDocument::readingProgressed, reading,
          [this, reading] { reading->setText(tr("Being read: %1 %").arg(document_.percentRead())); });
  row->addWidget(reading, 1);
  row->addWidget(stop);
  whole->hide();
  return whole;
}

QString ImageCard::addressText() const {
  const auto& at = document_.state().placements[index_].at;
  return at ? text(hexAddress(*at)) : QString();
}

void ImageCard::colour() {
  stripe_->setStyleSheet(
      QString("background: %1; border-radius: 2px;").arg(Theme::current().pieceColor(index_).name()));
}

void ImageCard::show(std::size_t index) {
  index_ = index;
  const Placement& placement = document_.state().placements[index];
  const PlacedFile& file = document_.files()[index];
  const QString fileName = text(shortName(placement));
  setProperty("file", static_cast<int>(index));
  colour();
  setWords(name_, QFontMetrics(textFont(13, QFont::DemiBold)).elidedText(fileName, Qt::ElideMiddle, 128),
           tr("Choose %1").arg(fileName));
  size_->setText(file.piece ? text(sizeText(file.piece->image.byteCount())) : QString());
  const QString changes = changesText(placement, file);
  what_->setText(QFontMetrics(textFont(12)).elidedText(changes, Qt::ElideRight, 190));
  what_->setToolTip(changes);
  if (file.isRead && reading_->isAncestorOf(focusWidget())) name_->setFocus();
  reading_->setVisible(!file.isRead);
  problem_->setVisible(!file.problem.isEmpty());
  problem_->setText(file.problem);
  const bool own = file.source && file.source->file.hasAddresses;
  address_->setAccessibleName(tr("Address of %1").arg(fileName));
  refill(address_, addressText());
  address_->setPlaceholderText(placement.after || placement.align
                                   ? (file.piece ? text(hexAddress(file.piece->image.extent().begin)) : QString())
                               : own ? tr("from file")
                                     : tr("set address"));
  address_->setToolTip(own ? tr("Added to the file's own addresses") : tr("Where its first byte goes"));
  setWords(more_, "⋯", tr("What is done to %1").arg(fileName));
  setWords(remove_, "×", tr("Take %1 out").arg(fileName));
}

void ImageCard::takeAddress() {
  if (!address_->isModified() || index_ >= document_.state().placements.size()) return;
  const QString typed = address_->text().trimmed();
  Placement changed = document_.state().placements[index_];
  changed.at = typed.isEmpty() ? std::nullopt : parseAddress(typed);
  const bool wrong = !changed.at && !typed.isEmpty();
  setWrong(address_, wrong);
  if (wrong) {
    emit document_.message(noAddress(typed), true);
    return;
  }
  address_->setModified(false);
  document_.setPlacement(index_, changed, tr("Move %1").arg(text(shortName(changed))));
  address_->setText(addressText());
}

}  // namespace imprimo::app
