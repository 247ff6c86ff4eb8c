// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QWidget>

#include "app/pins/pins_model.h"

namespace imprimo::app {

/// What can be done with the port that is chosen: driven, as a clock too, traced, tried against another one, and named
/// for the sheet.
class ChosenPort : public QWidget {
  Q_OBJECT
 public:
  ChosenPort(Workbench& bench, PinsModel& model, QWidget* parent);
  void setPort(std::optional<pins::PortOf> port);
  std::optional<pins::PortOf> port() const { return port_; }
  /// What would happen, to be said before the first time: empty where nothing waits for being said twice.
  QString announced() const;
  void refresh();

 signals:
  void traceWanted(imprimo::pins::PortOf port);
  void announcedChanged();

 private:
  /// What a button would do, which is said the first time and done the second.
  struct Wish {
    enum Kind { Low, High, Clock, Join } kind;
    pins::PortOf port;
    friend bool operator==(const Wish&, const Wish&) = default;
  };
  void makeLevels();
  void makeMore();
  QToolButton* button(const char* name, const QString& text, const QString& what, QWidget* parent);
  void wish(Wish::Kind kind);
  void carryOut(Wish::Kind kind);
  void keepLabel();
  std::optional<double> hertz() const;

  Workbench& bench_;
  PinsModel& model_;
  std::optional<pins::PortOf> port_, joinFrom_;
  std::optional<Wish> announced_;
  QLabel *words_, *tried_;
  QToolButton *low_, *high_, *open_, *traced_, *clock_, *join_;
  QLineEdit *hertz_, *name_;
  QComboBox* wanted_;
};

}  // namespace imprimo::app
