// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QLineEdit>
#include <QWidget>

#include "app/images/image_document.h"

namespace imprimo::app {

/// Where in the image one is: the address, typed over to go elsewhere, and bytes or a text that are looked for in what
/// will be stored.
class ImagePlace : public QWidget {
  Q_OBJECT
 public:
  explicit ImagePlace(ImageDocument& document, QWidget* parent = nullptr);
  QAction *gotoAction, *findAction;

 signals:
  void reached();  ///< the keys go to what was found
  void left();

 private:
  void showPosition();
  void goToTyped();
  void find();
  std::optional<std::uint64_t> next(const Bytes& bytes) const;

  ImageDocument& document_;
  QLineEdit *address_, *find_;
};

}  // namespace imprimo::app
