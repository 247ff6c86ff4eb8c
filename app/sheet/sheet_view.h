// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QScrollArea>

#include "app/sheet/sheet_draft.h"
#include "app/sheet/sheet_page.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// The sheet page with its heading.
class SheetView : public QWidget, public View {
  Q_OBJECT
 public:
  explicit SheetView(const ViewContext& context, QWidget* parent = nullptr);
  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override { return {bench_.undoAction, bench_.redoAction}; }
  QList<KeyWords> keyWords() const override;
  void entered() override { page_->setFocus(); }
  Unsaved unsaved() const override;
  bool save() override;

  SheetPage& page() { return *page_; }
  SheetDraft& draft() { return draft_; }

 private:
  void refresh();

  Workbench& bench_;
  SheetDraft draft_;
  QLabel *title_, *words_, *trouble_;
  SheetPage* page_;
};

View* makeSheetView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
