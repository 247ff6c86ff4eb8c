// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QList>
#include <QString>
#include <QWidget>
#include <functional>

#include "app/model/workbench.h"

namespace imprimo::app {

/// Keys, and what they do.
struct KeyWords {
  QString keys, words;
};

/// A view of the window. Each has a folder of its own and a row in app/views.cpp; the window knows nothing else of it.
class View {
 public:
  virtual ~View() = default;
  virtual QWidget* widget() = 0;
  /// Those whose keys work while it is in front.
  virtual QList<QAction*> actions() const { return {}; }
  /// Those whose keys work from every view.
  virtual QList<QAction*> everywhere() const { return {}; }
  /// A strip of it that stands below any other view, and what shows it or takes it away; none where it has none.
  struct Strip {
    QWidget* widget = nullptr;
    QAction* toggle = nullptr;
  };
  virtual Strip strip() { return {}; }
  /// Its parts, in the order in which the eye goes over them: F6 goes from one to the next. Those that are not visible
  /// are passed over; none: the whole of it is one.
  virtual QList<QWidget*> panes() { return {}; }
  /// What keys do in it that are no actions: for the list of all keys.
  virtual QList<KeyWords> keyWords() const { return {}; }
  /// It came to the front, or goes from there.
  virtual void entered() {}
  virtual void left() {}
  /// Whether a file that is dropped anywhere on the window is its; then it is shown, and told.
  virtual bool accepts(const QString&) const { return false; }
  virtual void drop(const QString&) {}
  /// Whether a file that the desktop hands over is its: what it accepts, and what is dropped on a place of its own.
  virtual bool opens(const QString& file) const { return accepts(file); }
  /// What of it would be lost with the sheet: a heading and a question. Empty: nothing.
  struct Unsaved {
    QString heading, question;
    bool any() const { return !heading.isEmpty(); }
  };
  virtual Unsaved unsaved() const { return {}; }
  /// It is all that may be seen, also when the program starts: a line that is locked.
  virtual bool claimsWindow() const { return false; }
  /// Saves that; false when it was not saved after all.
  virtual bool save() { return true; }
};

/// What a view is made with.
struct ViewContext {
  Workbench& bench;
  QAction *openSheet, *startSheet;
  /// Brings the view of that name to the front.
  std::function<void(const QString& name)> show;
  /// The view in front takes the whole window for itself, or gives the rest back.
  std::function<void(bool whole)> claim{};
};

/// A view as the window's table has it: its name in code, its title, its keys, and how it is made.
struct ViewRow {
  const char* name;
  const char* title;
  const char* shortcut;
  View* (*make)(const ViewContext& context, QWidget* parent);  ///< the parent owns it
  bool isPage = false;                                         ///< it stands in the menu of sheets and has no tab
};

}  // namespace imprimo::app
