// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "app/images/address_ruler.h"
#include "app/images/image_bytes.h"
#include "app/images/image_document.h"
#include "app/images/image_place.h"
#include "app/look/elided_label.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// Building an image without hardware: files on the left, the ruler and the bytes in the middle, what comes out and
/// what was found on the right.
class ImagesView : public QWidget, public View {
  Q_OBJECT
 public:
  explicit ImagesView(const ViewContext& context, QWidget* parent = nullptr);

  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override;
  QList<QWidget*> panes() override;
  QList<KeyWords> keyWords() const override;
  bool opens(const QString& file) const override;
  void drop(const QString& file) override { document_.addFile(file); }
  Unsaved unsaved() const override;
  bool save() override;

  ImageDocument& document() { return document_; }
  QAction *undoAction, *redoAction, *saveAction, *compareAction, *toBenchAction;

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void makeActions();
  QWidget* middle();
  void refresh();
  void saveDialog();
  void compare();
  void saveReport();
  void writeWrapper(std::size_t index);

  Workbench& bench_;
  std::function<void(const QString&)> show_;
  ImageDocument document_;
  ImagePlace* place_ = nullptr;
  QLabel* title_;
  ElidedLabel *figure_, *hint_;
  QToolButton *compareButton_, *reportButton_;
};

View* makeImagesView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
