// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QBoxLayout>
#include <QPointer>
#include <QStringList>
#include <functional>
#include <vector>

class QLineEdit;

namespace imprimo::app {

/// The rows of a list, which stay while what they show changes, so that the keys stay where they are. When a row with
/// the keys goes, they go to the same thing in the row that takes its place.
class KeptRows {
 public:
  using Make = std::function<QWidget*()>;
  using Fill = std::function<void(QWidget* row, std::size_t index)>;

  /// Rows stand in `layout` from its first place on, and come behind `before` when Tab is pressed; that gets the keys
  /// when no row is left. Both live longer.
  KeptRows(QBoxLayout* layout, QWidget* before) : layout_(layout), before_(before) {}

  /// `keys`: one for each row, in order; a row with the same key as before is the same row. Where as many rows as
  /// before are wanted, one whose key is new takes the row at its place.
  void show(const QStringList& keys, const Make& make, const Fill& fill);
  const std::vector<QWidget*>& rows() const { return rows_; }

 private:
  void takeAway(const std::vector<QWidget*>& going, const std::vector<QWidget*>& before);
  void orderTabs();

  QBoxLayout* layout_;
  QPointer<QWidget> before_;
  QStringList keys_;
  std::vector<QWidget*> rows_;
};

/// Text that another one is put in place of, unless somebody is typing over it. A change of it tells readers, so it is
/// none where nothing changed.
void refill(QLineEdit* edit, const QString& text);

}  // namespace imprimo::app
