// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_comparison.h"

namespace imprimo::app {

void ImageComparison::begin(const MemoryImage& other, const QString& name) {
  other_ = other;
  name_ = name;
}

void ImageComparison::update(const std::vector<Piece>& pieces, std::uint8_t fill) {
  if (!other_) return;
  MemoryImage mine;
  for (const Piece& piece : pieces) mine.write(piece.image);
  // A read-back has the empty bytes too: they are no difference.
  for (const MemoryImage::Segment& s : other_->segments()) {
    std::uint64_t at = s.begin;
    const auto fillGap = [&](std::uint64_t to) {
      if (to > at) mine.write(at, Bytes(to - at, fill));
    };
    std::vector<AddressRange> there;
    for (const MemoryImage::Segment& m : mine.segmentsIn(s.range())) there.push_back(m.range());
    for (const AddressRange& range : there) {
      fillGap(range.begin);
      at = range.end;
    }
    fillGap(s.range().end);
  }
  differences_ = compareImages(mine, *other_);
}

QString ImageComparison::report(const std::vector<Piece>& pieces) const {
  MemoryImage mine;
  for (const Piece& piece : pieces) mine.write(piece.image);
  return QString::fromStdString(differenceReport(mine, *other_, differences_, "the image", name_.toStdString(), 64));
}

}  // namespace imprimo::app
