// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

#include "app/images/image_document.h"

namespace imprimo::app {

/// A file of an image: its colour on the ruler, what is done to it, and where it goes. Chosen by a click on it, and by
/// its name with the keyboard.
class ImageCard : public QFrame {
  Q_OBJECT
 public:
  explicit ImageCard(ImageDocument& document, QWidget* parent = nullptr);
  void show(std::size_t index);

 signals:
  void menuWanted(std::size_t index, const QPoint& at);  ///< `at`: on the screen

 protected:
  void mousePressEvent(QMouseEvent*) override { document_.select(index_); }

 private:
  QWidget* readingRow();
  void takeAddress();
  QString addressText() const;
  void colour();

  ImageDocument& document_;
  std::size_t index_ = 0;
  QFrame* stripe_;
  QToolButton *name_, *more_, *remove_;
  QLabel *size_, *what_, *problem_;
  QWidget* reading_;
  QLineEdit* address_;
};

}  // namespace imprimo::app
