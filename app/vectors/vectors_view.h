// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QStackedWidget>
#include <QToolButton>

#include "app/shell/view.h"
#include "app/vectors/mismatch_panel.h"
#include "app/vectors/vector_document.h"
#include "app/vectors/vector_list.h"
#include "app/vectors/vector_side.h"
#include "app/vectors/vector_strip.h"

namespace imprimo::app {

/// A file of vectors: the strip over its time above, its statements below, what it does and where it stands on the
/// right.
class VectorsView : public QStackedWidget, public View {
  Q_OBJECT
 public:
  explicit VectorsView(const ViewContext& context, QWidget* parent = nullptr);

  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override;
  QList<QWidget*> panes() override;
  QList<KeyWords> keyWords() const override;
  QList<QAction*> everywhere() const override { return {document_.openAction}; }
  void entered() override { setFocus(); }
  bool accepts(const QString& file) const override { return file.endsWith(".svf"); }
  void drop(const QString& file) override { document_.open(file); }

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

View* makeVectorsView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
