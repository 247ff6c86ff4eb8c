// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QProcess>
#include <QTemporaryDir>

#include "tests/heard/heard_tree.h"

namespace imprimo::test {

/// A display of its own.
class Display {
 public:
  Display();
  ~Display();
  /// Empty when there is none.
  QString name() const { return number_.isEmpty() ? QString() : ":" + number_; }

 private:
  QProcess server_;
  QString number_;
};

/// The program with the demo, in a real window on a display of its own, with nothing of an earlier one.
class HeardProgram {
 public:
  HeardProgram();
  ~HeardProgram();
  /// Why it is not there; empty when it is.
  QString trouble() const { return trouble_; }
  const Heard& app() const { return *app_; }
  /// Waits for what is showing with that name.
  std::optional<Heard> until(const QString& name, const QString& role) const;
  /// Keys as a keyboard sends them, to whatever window has it: "ctrl+shift+d", "Down", "F10".
  void type(const QStringList& keys) const;
  /// Gives the keyboard to the window with that in its title.
  bool giveKeyboardTo(const QString& title) const;

 private:
  QString run(const QStringList& words) const;

  Display display_;
  QTemporaryDir home_;
  QProcess program_;
  QProcessEnvironment environment_;
  std::optional<Heard> app_;
  QString trouble_;
};

}  // namespace imprimo::test
