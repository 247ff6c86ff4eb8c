// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The probes there are, each with its state and what to do about it, and a line for the address of one elsewhere. Up
/// and Down walk, Return uses, Escape closes.
class ProbePanel : public QFrame {
  Q_OBJECT
 public:
  explicit ProbePanel(Workbench& bench, QWidget* parent = nullptr);
  /// Opens below `anchor` and looks anew. With `choose`, a probe that is picked is told by chosen() and not connected.
  void openBelow(QWidget* anchor, bool choose);
  void setRecent(const QStringList& recent);

 signals:
  void chosen(const QString& address, bool choose);

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  QHBoxLayout* elsewhere();
  void fill(const probe::ProbeListing& listing);
  void addProbe(const probe::ProbeEntry& entry);
  void addAction(QVBoxLayout* column, const QString& text, const QString& of, const char* name,
                 std::function<void()> act);
  QLabel* label(const QString& text, const char* role, int pixels, QWidget* parent);
  void pick(const QString& address);
  void walk(int step);
  void fit();

  Workbench& bench_;
  QVBoxLayout* list_;
  QLabel *note_, *recentWords_;
  QWidget* recent_;
  QVBoxLayout* recentList_;
  QLineEdit* address_;
  QPushButton* look_;
  bool choose_ = false;
};

}  // namespace imprimo::app
