// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QStackedWidget>
#include <QToolButton>

#include "app/vectors/mismatch_panel.h"
#include "app/vectors/vector_document.h"
#include "app/vectors/vector_list.h"
#include "app/vectors/vector_side.h"
#include "app/vectors/vector_strip.h"

namespace imprimo::app {

/// A file of vectors: the strip over its time above, its statements below, what it does and where it stands on the
/// right.
class VectorsView : public QStackedWidget {
  Q_OBJECT
 public:
  explicit VectorsView(Workbench& bench, QWidget* parent = nullptr);

  VectorDocument& document() { return document_; }

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  QWidget* emptyPage();
  QWidget* filePage();
  QWidget* listCard();
  void refresh();
  void openDialog();
  void showFind();

  Workbench& bench_;
  VectorDocument document_;
  QLabel *name_, *figure_, *stand_, *around_;
  QLineEdit* find_;
  QToolButton *asWritten_, *decoded_;
  VectorList* list_;
};

}  // namespace imprimo::app
