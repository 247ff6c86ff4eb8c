// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPointer>
#include <QPushButton>
#include <functional>
#include <vector>

#include "app/model/workbench.h"

namespace imprimo::app {

/// A ring around a control, drawn over the window; clicks and keys go through it.
class Ring : public QWidget {
  Q_OBJECT
 public:
  explicit Ring(QWidget* window);
  /// Around this one, wherever it goes; null: around nothing.
  void goAround(QWidget* target);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void paintEvent(QPaintEvent* event) override;

 private:
  void follow();

  QPointer<QWidget> target_;
};

/// A first job on the demo, in eight steps that are done with the real controls: what to do, above the views, and a
/// ring around where. It goes on when it was done, however that was done, and can be left at any time.
class FirstJob : public QFrame {
  Q_OBJECT
 public:
  /// `front` says which view is in front.
  FirstJob(Workbench& bench, std::function<QString()> front, QWidget* window);

  /// From the first step that is still to be done.
  void begin();
  void leave();
  bool isUnderWay() const { return step_ < steps_.size(); }
  /// From 0; as many as there are steps when all is done.
  std::size_t step() const { return step_; }
  /// Somebody did it, or left it: it does not begin by itself any more.
  static bool wasOffered();
  /// The sheet that is open is the demo's. On any other board nobody is led to write something.
  static bool isDemo(const Workbench& bench);

 public slots:
  /// Another view is in front.
  void look();

 private:
  struct Step {
    QString what;       ///< to do
    const char* where;  ///< the control's name; empty: none
    std::function<bool()> isDone;
  };
  void makeSteps();
  void tell();

  Workbench& bench_;
  std::function<QString()> front_;
  std::vector<Step> steps_;
  std::size_t step_;
  bool differenceSeen_ = false, runSeen_ = false;
  QLabel *count_, *words_;
  QPushButton* leave_;
  Ring* ring_;
};

}  // namespace imprimo::app
