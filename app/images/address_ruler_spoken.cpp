// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the ruler says to readers: its pieces in the order of the files, then what is kept.
#include "app/images/address_ruler.h"
#include "app/look/text.h"
#include "core/base/number.h"

namespace imprimo::app {

int AddressRuler::spokenCount() const {
  const std::size_t count = document_.pieces().size() + document_.kept().size();
  return count == 0 ? 1 : static_cast<int>(count);
}

SpokenItem AddressRuler::spokenItem(int index) const {
  const RulerGeometry g = geometryNow();
  const auto at = static_cast<std::size_t>(index);
  const auto& pieces = document_.pieces();
  SpokenItem item;
  if (at < pieces.size()) {
    const Piece& piece = pieces[at];
    const AddressRange extent = piece.image.extent();
    // One file may be in the image twice.
    item.name =
        tr("%1 at %2").arg(QString::fromStdString(piece.name()), QString::fromStdString(hexAddress(extent.begin)));
    item.value = plainHex(extent) + ", " + QString::fromStdString(sizeText(piece.image.byteCount()));
    item.rect = g.rectOf(extent);
    const auto file = document_.fileOf(at);
    item.isSelected = file && document_.selected() == *file;
    item.canBePressed = file.has_value();
  } else if (at - pieces.size() < document_.kept().size()) {
    const AddressRange kept = document_.kept()[at - pieces.size()];  // the list is made anew at each call
    item.name = tr("kept: %1").arg(plainHex(kept));
    item.rect = g.rectOf(kept);
  } else {
    item.name = tr("Nothing is on the ruler.");
    item.rect = g.strip;
    item.role = QAccessible::StaticText;
  }
  return item;
}

int AddressRuler::spokenCurrent() const {
  for (std::size_t i = 0; i < document_.pieces().size(); ++i) {
    const auto file = document_.fileOf(i);
    if (file && document_.selected() == *file) return static_cast<int>(i);
  }
  return -1;
}

void AddressRuler::spokenPress(int index) {
  const auto at = static_cast<std::size_t>(index);
  if (at >= document_.pieces().size()) return;
  if (const auto file = document_.fileOf(at)) document_.select(*file);
}

}  // namespace imprimo::app
