// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QMenu>
#include <QObject>
#include <QSettings>

#include "app/look/theme.h"
#include "app/shell/desktop_wish.h"

namespace imprimo::app {

/// How large somebody wants all to be, 1 for 100 %; 0: as the desktop has it.
double chosenScale(const QSettings& settings);
/// How large the desktop's font wants it to be, after the application was made.
double desktopScale();

/// Which theme the window has, and how large all in it is: as the desktop wishes, or as somebody chose, which is
/// remembered. Colours follow the desktop; a size is taken when the program starts.
class LookChoice : public QObject {
  Q_OBJECT
 public:
  explicit LookChoice(QObject* parent = nullptr);
  /// The choices, for the window's menu.
  QMenu* menu() const { return menu_.get(); }
  /// What is remembered was changed elsewhere.
  void refresh();
  /// Takes a theme without remembering it.
  void use(ThemeKind kind);

 signals:
  void message(const QString& text);

 private:
  void choose(const QString& theme);
  void chooseScale(const QString& scale);
  void apply();

  DesktopWish desktop_;
  std::unique_ptr<QMenu> menu_;
};

}  // namespace imprimo::app
