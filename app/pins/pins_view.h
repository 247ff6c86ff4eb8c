// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>

#include "app/pins/package_view.h"
#include "app/pins/pin_trace.h"
#include "app/pins/port_list.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// A device's pins by boundary scan: seen live, and driven one by one.
class PinsView : public QWidget, public View {
  Q_OBJECT
 public:
  PinsView(const ViewContext& context, QWidget* parent);

  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override { return {letGo_, find_}; }
  void entered() override { model_.setLooked(true); }
  void left() override { model_.setLooked(false); }
  PinsModel& model() { return model_; }

 private:
  QWidget* middle();
  QWidget* side();
  void refresh();
  void refreshDevices();
  void showSampled();
  void choose(std::size_t port);
  std::optional<std::size_t> current() const;
  void drive(pins::Level level);

  Workbench& bench_;
  PinsModel model_;
  QAction *letGo_, *find_;
  QComboBox* device_;
  QLabel *state_, *strip_, *count_, *chosen_;
  PackageView* package_;
  PinTrace* trace_;
  QLineEdit* filter_;
  PortItems* items_;
  QListView* list_;
  QToolButton *low_, *high_, *open_, *traced_;
  QPushButton* all_;
  std::optional<std::pair<std::size_t, bool>> announced_;  // what the strip says would be driven
};

View* makePinsView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
