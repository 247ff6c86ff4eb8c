// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

namespace imprimo::app {

/// SIGTERM, SIGHUP and SIGINT as a signal of Qt's; a second one ends the process at once. There is one of these. One
/// that this process was started to ignore stays ignored.
class QuitSignals : public QObject {
  Q_OBJECT
 public:
  explicit QuitSignals(QObject* parent = nullptr);
  ~QuitSignals() override;

 signals:
  void asked();

 private:
  void take();
};

}  // namespace imprimo::app
