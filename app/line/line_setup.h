// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QListWidget>

#include "app/line/line_desk.h"
#include "app/look/small_widgets.h"
#include "app/model/workbench.h"

class QLineEdit;

namespace imprimo::app {

/// What an engineer sets up before the line begins: release, probes, who works there.
class LineSetup : public QWidget {
  Q_OBJECT
 public:
  LineSetup(Workbench& bench, LineDesk& desk, QWidget* parent = nullptr);
  /// Looks which probes there are.
  void look();

 signals:
  void openWanted();
  void makeWanted();
  void lockWanted();

 private:
  void refresh();
  void addProbe(const QString& address, const QString& words, bool chosen);
  void takeChosen();

  Workbench& bench_;
  LineDesk& desk_;
  QLabel *release_, *rules_, *missing_;
  QListWidget* probes_;
  QLineEdit *address_, *operator_;
  QPushButton *open_, *make_, *begin_, *lock_;
};

}  // namespace imprimo::app
