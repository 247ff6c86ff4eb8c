// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractListModel>
#include <QStyledItemDelegate>
#include <vector>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The library as rows: kinds, below each what there is of it; shared folders first.
class LibraryRows : public QAbstractListModel {
  Q_OBJECT
 public:
  explicit LibraryRows(Workbench& bench, QObject* parent = nullptr);

  struct Row {
    enum Kind { Heading, Folder, Entry } kind = Heading;
    QString title, words, used;
    std::size_t index = 0;  ///< of an entry in the catalog's search
  };
  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;

  const Row& row(int index) const { return rows_.at(static_cast<std::size_t>(index)); }
  const store::Description& description(const Row& row) const { return found_.at(row.index); }
  /// Only what has all these words.
  void setFilter(const QString& words);
  std::size_t count() const { return found_.size(); }

 private:
  void rebuild();
  /// Devices and memories of the open sheet that use it.
  QString usedBy(const store::Description& description) const;

  Workbench& bench_;
  QString filter_;
  std::vector<store::Description> found_;
  std::vector<Row> rows_;
};

/// Paints them: names, what they say of themselves, and where they are.
class LibraryPainter : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
};

}  // namespace imprimo::app
