// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QGridLayout>
#include <QVBoxLayout>

#include "app/images/image_document.h"

namespace imprimo::app {

/// The chosen file looked at more closely: what its header says, pad and sync word, checksums; hidden without one.
class ImageCloser : public QFrame {
  Q_OBJECT
 public:
  explicit ImageCloser(ImageDocument& document, QWidget* parent = nullptr);
  void refresh();

 private:
  void tellSync(QGridLayout* grid, QWidget* box, std::size_t index);
  void tellSums(QGridLayout* grid, QWidget* box, const std::shared_ptr<const SourceFile>& source);

  ImageDocument& document_;
  QVBoxLayout* rows_;
  std::shared_ptr<const SourceFile> summed_;  ///< whose CRC-32 and SHA-256 these are
  QString crc_, sha_;
};

}  // namespace imprimo::app
