// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "app/pins/chosen_port.h"
#include "app/pins/package_view.h"
#include "app/pins/pin_trace.h"
#include "app/pins/port_list.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// A device's pins by boundary scan: seen live, and driven one by one. Another device can be shown beside it.
class PinsView : public QWidget, public View {
  Q_OBJECT
 public:
  PinsView(const ViewContext& context, QWidget* parent);

  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override { return {letGo_, find_, wires_, bench_.undoAction, bench_.redoAction}; }
  QList<QWidget*> panes() override;
  QList<KeyWords> keyWords() const override;
  void entered() override { model_.setLooked(true); }
  void left() override { model_.setLooked(false); }
  PinsModel& model() { return model_; }

 private:
  QWidget* middle();
  QWidget* side();
  void refresh();
  void refreshDevices();
  void showSampled();
  void choose(pins::PortOf port);
  std::optional<pins::PortOf> current() const;
  void openWires(const QString& memory);

  Workbench& bench_;
  PinsModel model_;
  QAction *letGo_, *find_, *wires_;
  QComboBox *device_, *other_, *others_;
  QLabel *state_, *strip_, *count_;
  PackageView *package_, *otherPackage_;
  PinTrace* trace_;
  QLineEdit* filter_;
  PortItems* items_;
  QListView* list_;
  ChosenPort* chosen_;
  QPushButton *all_, *wiresButton_;
};

View* makePinsView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
