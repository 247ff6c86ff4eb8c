// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

#include "app/model/workbench.h"

namespace imprimo::app {

/// A file that goes into the memory: where, with which bits, and which place it has among the others.
class PieceCard : public QFrame {
  Q_OBJECT
 public:
  explicit PieceCard(Workbench& bench, QWidget* parent = nullptr);
  /// `index`: of the sheet's placements. `piece`: what was read of it; null: nothing.
  void show(std::size_t index, const Piece* piece);
  /// Whether it can be changed: while a run goes on it can only be looked at.
  void setIdle(bool idle);

 private:
  const Placement& placement() const { return bench_.document().sheet().placements[index_]; }
  /// False between a change of the sheet and the next show(): that place is another file's by then, or none's.
  bool isCurrent() const;
  std::optional<std::size_t> neighbour(int step) const;
  QString addressText() const;
  void takeAddress();

  Workbench& bench_;
  std::size_t index_ = 0;
  std::string file_, memory_;
  bool idle_ = true;
  std::optional<std::uint64_t> begin_;
  QToolButton *name_, *bits_, *up_, *down_, *remove_;
  QLabel* size_;
  QLineEdit* address_;
};

}  // namespace imprimo::app
