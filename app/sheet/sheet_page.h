// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCompleter>
#include <QLineEdit>
#include <QMenu>
#include <QWidget>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/sheet/sheet_draft.h"

namespace imprimo::app {

/// The whole sheet as a page; each value is changed where it stands. Arrows walk from value to value, Return changes
/// one, Delete takes one away (on a name: all that is told of it), + adds, Alt with Up and Down moves an entry.
class SheetPage : public QWidget, public Spoken {
  Q_OBJECT
 public:
  SheetPage(Workbench& bench, SheetDraft& draft, QWidget* parent = nullptr);

  const SheetPageContent& content() const { return page_; }
  const PageToken* current() const;
  /// Walks to a value, or to the + of what is at the place. False where there is none.
  bool goTo(const sheet::Place& place, bool add = false);

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;

 signals:
  /// The current value should be seen.
  void reached(const QRect& rect);
  void left();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void rebuild();
  void place();
  void drawToken(QPainter& painter, const PageToken& token, const Theme& theme) const;
  void walk(int by);
  void walkLine(int by);
  void setCurrent(std::size_t index);
  void act();
  void edit(const PageToken& token);
  void finishEdit(bool take);
  void addEntry(const sheet::Place& list);
  void openAddMenu(const PageToken& token);
  void addKey(const sheet::Place& place, const sheet::KeyRow& row);
  void remove();
  void moveEntry(int by);
  /// What may be typed there, proposed.
  QStringList proposals(const PageToken& token) const;

  Workbench& bench_;
  SheetDraft& draft_;
  SheetPageContent page_;
  std::size_t current_ = 0;
  QLineEdit* line_;
  std::optional<sheet::Place> editing_;  // what is typed over
};

}  // namespace imprimo::app
