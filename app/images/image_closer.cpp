// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_closer.h"

#include <QDateTime>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>

#include "app/look/small_widgets.h"
#include "app/look/text.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"

namespace imprimo::app {
namespace {

void addRow(QGridLayout* grid, QWidget* box, const QString& name, const QString& value) {
  const int at = grid->rowCount();
  grid->addWidget(mutedLabel(box, name), at, 0);
  auto* label = new QLabel(QFontMetrics(textFont(12)).elidedText(value, Qt::ElideRight, 128), box);
  label->setFont(textFont(12));
  label->setToolTip(value);
  label->setTextInteractionFlags(Qt::TextSelectableByMouse);
  grid->addWidget(label, at, 1, Qt::AlignRight);
}

}  // namespace

ImageCloser::ImageCloser(ImageDocument& document, QWidget* parent) : QFrame(parent), document_(document) {
  setObjectName("card");
  rows_ = new QVBoxLayout(this);
  rows_->setContentsMargins(10, 8, 10, 8);
}

void ImageCloser::refresh() {
  while (QLayoutItem* item = rows_->takeAt(0)) {
    if (item->widget() != nullptr) item->widget()->deleteLater();
    delete item;
  }
  const auto index = document_.selected();
  setVisible(index && document_.files()[*index].piece);
  if (!isVisibleTo(parentWidget())) return;
  const PlacedFile& file = document_.files()[*index];
  const Placement placement = document_.state().placements[*index];
  auto* box = new QWidget(this);
  auto* grid = new QGridLayout(box);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setVerticalSpacing(3);
  auto* title = new QLabel(tr("%1, closer").arg(text(file.piece->name())), box);
  title->setFont(textFont(12, QFont::DemiBold));
  grid->addWidget(title, 0, 0, 1, 2);
  const auto row = [&](const QString& name, const QString& value) { addRow(grid, box, name, value); };
  for (const Unwrapped::Field& field : file.source->fields) {
    if (!field.name.empty()) row(text(field.name), text(field.text));
  }
  if (file.source->payloadAt > 0) row(tr("header"), tr("%1 taken off").arg(text(sizeText(file.source->payloadAt))));
  if (file.source->file.entry) row(tr("entry"), text(hexAddress(*file.source->file.entry)));
  if (!file.source->file.note.empty() && placement.wrapper.empty()) row(tr("says"), text(file.source->file.note));
  tellSync(grid, box, *index);
  tellSums(grid, box, file.source);
  if (!placement.pattern) {
    row(tr("changed"), QFileInfo(document_.absolute(placement.file)).lastModified().toString("yyyy-MM-dd hh:mm"));
  }
  rows_->addWidget(box);
}

/// The pad at its beginning, and where the sync word stands.
void ImageCloser::tellSync(QGridLayout* grid, QWidget* box, std::size_t index) {
  const PlacedFile& file = document_.files()[index];
  const Placement placement = document_.state().placements[index];
  const Bytes head = file.piece->headAsInFile(1 << 20);
  if (const LeadingPad pad = leadingPad(head); pad.count > 0 && !file.source->file.hasAddresses) {
    addRow(grid, box, tr("leading %1").arg(text(hexByte(pad.value)).mid(2)), text(countText(pad.count, "byte")));
  }
  Bytes word = file.source->sync;
  if (word.empty()) {
    word = document_.state().sync;
    if (placement.reversed) {
      for (std::uint8_t& b : word) b = reverseBits(b);
    }
  }
  if (!word.empty() && !file.source->file.hasAddresses && !placement.pattern) {
    const auto sync = findSync(head, word);
    addRow(grid, box, tr("sync word"),
           sync ? tr("at %1%2").arg(QString("0x%1").arg(sync->at, 0, 16), sync->reversed ? tr(", reversed") : QString())
                : tr("not found"));
    const LeadingPad pad = leadingPad(head);
    if (sync && sync->at > pad.count && !placement.cut && placement.wrapper.empty()) {
      auto* take =
          smallButton(box, tr("take off the %1 before it").arg(text(sizeText(sync->at))), tr("Begin at the sync word"));
      take->setObjectName("takeOffHeader");
      connect(take, &QToolButton::clicked, this, [this, index, placement, at = sync->at] {
        Placement next = placement;
        next.cut = AddressRange{at, UINT64_MAX};
        document_.setPlacement(index, next, tr("Take off the header"));
      });
      grid->addWidget(take, grid->rowCount(), 0, 1, 2, Qt::AlignLeft);
    }
  }
}

void ImageCloser::tellSums(QGridLayout* grid, QWidget* box, const std::shared_ptr<const SourceFile>& source) {
  constexpr std::uint64_t kMostSummed = 64u << 20;
  const MemoryImage& own = source->file.image;
  if (own.extent().size() <= kMostSummed) {
    if (summed_ != source) {
      const Bytes bytes = own.bytes(own.extent());
      crc_ = text(digitsOf(checksumOf(*checksumNamed("crc32"), bytes)));
      sha_ = text(digitsOf(checksumOf(*checksumNamed("sha256"), bytes))).toLower();
      summed_ = source;
    }
    addRow(grid, box, "CRC-32", crc_);
    addRow(grid, box, "SHA-256", sha_);
  }
}

}  // namespace imprimo::app
