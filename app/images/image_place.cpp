// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_place.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QShortcut>
#include <algorithm>

#include "app/look/address_text.h"
#include "app/look/small_widgets.h"
#include "app/look/text.h"
#include "core/base/number.h"

namespace imprimo::app {

ImagePlace::ImagePlace(ImageDocument& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  auto* at = mutedLabel(this, tr("At"));
  address_ = new QLineEdit(this);
  address_->setObjectName("imagePosition");
  address_->setAccessibleName(tr("At address"));
  address_->setFont(byteFont(13));
  address_->setFixedWidth(108);
  find_ = new QLineEdit(this);
  find_->setObjectName("imageFind");
  find_->setAccessibleName(tr("Find bytes or text in the image"));
  find_->setPlaceholderText(tr("A5 4D … or \"text\""));
  find_->setFixedWidth(170);
  find_->hide();
  at->setBuddy(address_);
  row->addWidget(at);
  row->addWidget(address_);
  row->addWidget(find_);
  row->addStretch(1);
  gotoAction = new QAction(tr("Go to address"), this);
  gotoAction->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_G));
  findAction = new QAction(tr("Find bytes or text"), this);
  findAction->setShortcut(QKeySequence::Find);
  connect(gotoAction, &QAction::triggered, this, [this] {
    address_->setFocus();
    address_->selectAll();
  });
  connect(findAction, &QAction::triggered, this, [this] {
    find_->show();
    find_->setFocus();
    find_->selectAll();
  });
  auto* away = new QShortcut(QKeySequence(Qt::Key_Escape), this, nullptr, nullptr, Qt::WidgetWithChildrenShortcut);
  connect(away, &QShortcut::activated, this, [this] {
    showPosition();
    emit left();
    find_->hide();
  });
  connect(address_, &QLineEdit::returnPressed, this, &ImagePlace::goToTyped);
  connect(address_, &QLineEdit::textEdited, this, [this] { setWrong(address_, false); });
  connect(find_, &QLineEdit::returnPressed, this, &ImagePlace::find);
  connect(&document_, &ImageDocument::positionChanged, this, &ImagePlace::showPosition);
  showPosition();
}

void ImagePlace::showPosition() {
  setWrong(address_, false);
  address_->setText(text(hexAddress(document_.position())));
}

void ImagePlace::goToTyped() {
  const auto address = parseAddress(address_->text());
  const bool fine = address && *address < document_.extent();
  setWrong(address_, !fine);
  if (!fine) {
    emit document_.message(address ? tr("%1 is behind the image, which ends at %2.")
                                         .arg(address_->text(), text(hexAddress(document_.extent() - 1)))
                                   : noAddress(address_->text()),
                           true);
    return;
  }
  document_.setPosition(*address);
  showPosition();
  emit reached();
}

/// From behind the position, and around once.
std::optional<std::uint64_t> ImagePlace::next(const Bytes& bytes) const {
  std::optional<std::uint64_t> first, behind;
  for (const Piece& piece : document_.pieces()) {
    for (const MemoryImage::Segment& s : piece.image.segmentsIn(piece.image.extent())) {
      for (auto at = s.bytes.begin();; ++at) {
        at = std::search(at, s.bytes.end(), bytes.begin(), bytes.end());
        if (at == s.bytes.end()) break;
        const std::uint64_t address = s.begin + static_cast<std::uint64_t>(at - s.bytes.begin());
        if (!first || address < *first) first = address;
        if (address > document_.position()) {
          if (!behind || address < *behind) behind = address;
          break;
        }
      }
    }
  }
  return behind ? behind : first;
}

void ImagePlace::find() {
  const Bytes bytes = parseNeedle(find_->text());
  if (bytes.empty()) return;
  const auto found = next(bytes);
  if (!found) {
    emit document_.message(tr("'%1' is nowhere in the image.").arg(find_->text().trimmed()), true);
    return;
  }
  document_.setPosition(*found);
  emit document_.message(tr("Found at %1; Return goes to the next one.").arg(text(hexAddress(*found))), false);
}

}  // namespace imprimo::app
