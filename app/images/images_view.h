// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "app/images/address_ruler.h"
#include "app/images/image_bytes.h"
#include "app/images/image_document.h"

namespace imprimo::app {

/// Building an image without hardware: files on the left, the ruler and the bytes in the middle, what comes out and
/// what was found on the right.
class ImagesView : public QWidget {
  Q_OBJECT
 public:
  explicit ImagesView(Workbench& bench, QWidget* parent = nullptr);

  ImageDocument& document() { return document_; }
  QAction *undoAction, *redoAction, *saveAction, *compareAction, *toBenchAction;

 signals:
  void benchWanted();  ///< the image was kept in the sheet, to be written

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void makeActions();
  QWidget* middle();
  void refresh();
  void save();
  void compare();
  void saveReport();
  void writeWrapper(std::size_t index);

  Workbench& bench_;
  ImageDocument document_;
  QLabel *title_, *figure_, *hint_;
  QToolButton *compareButton_, *reportButton_;
};

}  // namespace imprimo::app
