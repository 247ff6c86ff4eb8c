// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractListModel>
#include <QListView>
#include <QStyledItemDelegate>

#include "app/pins/pins_model.h"

namespace imprimo::app {

/// Ports that are shown, filtered by name, pin, direction, or whether they move.
class PortItems : public QAbstractListModel {
  Q_OBJECT
 public:
  explicit PortItems(PinsModel& model, QObject* parent = nullptr);
  int rowCount(const QModelIndex& parent = {}) const override;
  /// DisplayRole: name, pin and level in words, for readers; ToolTipRole: why it cannot be driven.
  QVariant data(const QModelIndex& index, int role) const override;
  pins::PortOf portOf(int row) const { return shown_[static_cast<std::size_t>(row)]; }
  std::optional<int> rowOf(pins::PortOf port) const;
  /// Letters of a name, of what it is called on the board or of a pin; or "in", "out", "moving", "together", "driven",
  /// "named", "wrong".
  void setFilter(const QString& words);

 private:
  void choose();
  bool fits(pins::PortOf port) const;

  PinsModel& model_;
  QString filter_;
  std::vector<pins::PortOf> shown_;
};

/// Paints one port: its level as a dot, name, pin, and what it does.
class PortDelegate : public QStyledItemDelegate {
  Q_OBJECT
 public:
  PortDelegate(PinsModel& model, PortItems& items, QObject* parent)
      : QStyledItemDelegate(parent), model_(model), items_(items) {}
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;

 private:
  PinsModel& model_;
  PortItems& items_;
};

}  // namespace imprimo::app
