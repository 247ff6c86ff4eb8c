// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/sheet/sheet_view.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"

namespace imprimo::app {

SheetView::SheetView(const ViewContext& context, QWidget* parent)
    : QWidget(parent), bench_(context.bench), draft_(context.bench) {
  setObjectName("page");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 12, 14, 10);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  title_ = new QLabel(this);
  title_->setFont(textFont(16, QFont::DemiBold));
  words_ = mutedLabel(this, {});
  auto* undo = smallButton(this, tr("undo"), {});
  auto* redo = smallButton(this, tr("redo"), {});
  for (const auto& [button, action] : {std::pair{undo, bench_.undoAction}, std::pair{redo, bench_.redoAction}}) {
    connect(button, &QToolButton::clicked, action, &QAction::trigger);
    const auto show = [button = button, action = action] {
      button->setEnabled(action->isEnabled());
      button->setToolTip(action->text());
      button->setAccessibleName(action->text());
    };
    connect(action, &QAction::changed, button, show);
    show();
  }
  auto* back = smallButton(this, tr("back to the bench"), tr("Back to the bench (Escape)"));
  back->setObjectName("sheetBack");
  head->addWidget(title_);
  head->addWidget(words_);
  head->addStretch(1);
  head->addWidget(undo);
  head->addWidget(redo);
  head->addWidget(back);
  column->addLayout(head);
  trouble_ = new QLabel(this);
  trouble_->setObjectName("sheetTrouble");
  trouble_->setFont(textFont(13));
  trouble_->setWordWrap(true);
  trouble_->setProperty("role", "differs");
  column->addWidget(trouble_);
  auto* area = new QScrollArea(this);
  area->setFocusPolicy(Qt::NoFocus);
  area->setObjectName("card");
  area->setWidgetResizable(true);
  page_ = new SheetPage(bench_, draft_);
  area->setWidget(page_);
  column->addWidget(area, 1);
  column->addWidget(
      mutedLabel(this, tr("Arrows walk, Return changes, Delete takes out, + adds, Alt with Up and Down moves. "
                          "Ctrl+Z undoes.")));
  const auto leave = [show = context.show] { show("bench"); };
  connect(back, &QToolButton::clicked, this, leave);
  connect(page_, &SheetPage::left, this, leave);
  connect(page_, &SheetPage::reached, area,
          [area](const QRect& rect) { area->ensureVisible(rect.center().x(), rect.center().y(), 40, 60); });
  connect(&draft_, &SheetDraft::changed, this, &SheetView::refresh);
  connect(&bench_, &Workbench::sheetChanged, this, &SheetView::refresh);
  connect(&bench_.keeping(), &SheetKeeping::unsavedChanged, this, &SheetView::refresh);
  refresh();
}

void SheetView::refresh() {
  const SheetDocument& document = bench_.document();
  title_->setText(tr("Sheet"));
  words_->setText(!document.isOpen() ? tr("No job sheet is open.")
                  : document.isNew() ? tr("has no file yet")
                                     : QString::fromStdString(document.sheet().path.filename().string()));
  page_->setVisible(document.isOpen());
  trouble_->setVisible(draft_.isPending());
  if (draft_.isPending()) {
    const PageTrouble& trouble = *draft_.trouble();
    const QString where = trouble.path.empty() ? QString() : QString::fromStdString(trouble.path) + ": ";
    trouble_->setText(tr("Not in the sheet yet. %1%2. Escape drops what was typed.").arg(where, trouble.words));
  }
}

View::Unsaved SheetView::unsaved() const {
  if (!draft_.isPending()) return {};
  return {tr("Something typed is not in the sheet yet"),
          tr("Something on the sheet page is not complete. Save the sheet without it?")};
}

bool SheetView::save() {
  draft_.drop();
  return bench_.keeping().save();
}

QList<KeyWords> SheetView::keyWords() const {
  return {{tr("Arrow keys, Tab"), tr("Go from value to value")},
          {tr("Return, or typing"), tr("Change the value")},
          {tr("Delete"), tr("Take the value or the entry out")},
          {tr("Alt+Up, Alt+Down"), tr("Move the entry")}};
}

View* makeSheetView(const ViewContext& context, QWidget* parent) {
  return new SheetView(context, parent);
}

}  // namespace imprimo::app
