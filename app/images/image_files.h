// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QMenu>
#include <QVBoxLayout>

#include "app/images/image_closer.h"

namespace imprimo::app {

/// The files that an image is made of, a card for each with its address and a menu for what is done to it; below, the
/// chosen one looked at more closely.
class ImageFiles : public QWidget {
  Q_OBJECT
 public:
  explicit ImageFiles(ImageDocument& document, QWidget* parent = nullptr);

  /// What can be done to a file. Belongs to the caller.
  QMenu* menuFor(std::size_t index);

 signals:
  void wrapperWanted(std::size_t index);  ///< a card is to be written for this file

 private:
  void rebuild();
  void showSelection();
  QFrame* card(std::size_t index);
  QLayout* readingRow(QFrame* frame);
  QLayout* addressRow(QFrame* frame, std::size_t index, const Placement& placement, const PlacedFile& file);
  QFrame* sumCard(std::size_t index);
  void addFiles();
  void addPattern();
  void addSum();
  void chooseWrapper(std::size_t index);
  void askCut(std::size_t index);

  ImageDocument& document_;
  QVBoxLayout* cards_;
  ImageCloser* closer_;
};

}  // namespace imprimo::app
