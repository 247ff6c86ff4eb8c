// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <optional>
#include <vector>

#include "core/image/compare.h"
#include "core/image/pieces.h"

namespace imprimo::app {

/// Another image, or a read-back, that the one being built is held against; none to begin with.
class ImageComparison {
 public:
  void begin(const MemoryImage& other, const QString& name);
  void end() { *this = {}; }
  /// The image is another one now; `fill` stands where nothing is placed.
  void update(const std::vector<Piece>& pieces, std::uint8_t fill);

  const std::optional<MemoryImage>& other() const { return other_; }
  const QString& name() const { return name_; }
  const Differences& differences() const { return differences_; }
  /// In words, for a file.
  QString report(const std::vector<Piece>& pieces) const;

 private:
  std::optional<MemoryImage> other_;
  QString name_;
  Differences differences_;
};

}  // namespace imprimo::app
