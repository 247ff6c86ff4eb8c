// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QMenu>
#include <QVBoxLayout>

#include "app/images/image_card.h"
#include "app/images/image_closer.h"
#include "app/look/kept_rows.h"

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
  ImageCard* makeCard();
  QWidget* makeSum();
  void addFiles();
  void addPattern();
  void addSum();
  void chooseWrapper(std::size_t index);
  void askCut(std::size_t index);

  ImageDocument& document_;
  std::unique_ptr<KeptRows> cards_, sums_;
  ImageCloser* closer_;
};

}  // namespace imprimo::app
