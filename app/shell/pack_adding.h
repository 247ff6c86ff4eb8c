// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>
#include <thread>

#include "app/model/workbench.h"

namespace imprimo::app {

/// Packs that are dropped on the window: put into the user's library beside the window, which goes on meanwhile.
class PackAdding : public QObject {
  Q_OBJECT
 public:
  PackAdding(Workbench& bench, QObject* parent) : QObject(parent), bench_(bench) {}
  static bool accepts(const QString& file) { return file.endsWith(".pack", Qt::CaseInsensitive); }
  /// Tells by Workbench::message() what it is, or what is wrong with it. One after another.
  void add(const QString& file);

 private:
  void next();
  void done(const QString& text, bool wrong);

  Workbench& bench_;
  QStringList waiting_;
  bool busy_ = false;
  std::jthread work_;
};

}  // namespace imprimo::app
