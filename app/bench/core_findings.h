// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QGridLayout>
#include <QLabel>
#include <QToolButton>

#include "app/model/core_places.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// Why a core does not run after it was written: what it does instead, where, and what was on its stack. Only there
/// when the last run looked and it does not run.
class CoreFindings : public QFrame {
  Q_OBJECT
 public:
  explicit CoreFindings(Workbench& bench, QWidget* parent = nullptr);
  /// All of it as lines of text.
  QString text() const;

 private:
  void refresh();
  void tellFault(const debug::CoreFault& fault);
  void tellState(const debug::CoreWatch& watch);
  void column(int at, const QString& head, const QStringList& lines, bool bytes);
  QString place(std::uint32_t address);
  QToolButton* action(const char* name, const QString& text);

  Workbench& bench_;
  PlacedSymbols symbols_;
  QLabel *title_, *words_, *hint_;
  QGridLayout* columns_;
  QStringList lines_;
  std::optional<std::uint32_t> at_;
  QToolButton *goTo_, *copy_, *again_;
};

}  // namespace imprimo::app
