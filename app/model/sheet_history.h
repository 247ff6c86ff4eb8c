// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <vector>

#include "core/sheet/sheet.h"

namespace imprimo::app {

/// What a sheet was before each of its changes, and what it was after those that were undone.
class SheetHistory {
 public:
  /// A change was made to what was `before`. What was undone is lost.
  void add(const QString& what, sheet::Sheet before);
  /// Gives `now` to the other side. Throws std::logic_error where there is nothing to undo, or redo.
  sheet::Sheet undo(sheet::Sheet now);
  sheet::Sheet redo(sheet::Sheet now);
  QString undoText() const { return past_.empty() ? QString() : past_.back().what; }
  QString redoText() const { return future_.empty() ? QString() : future_.back().what; }
  void clear();
  /// The state that is there now is what the file holds.
  void setSaved() { saved_ = now_; }
  bool isSaved() const { return saved_ == now_; }
  /// The sheet has another place: so have all states of it.
  void moveTo(const std::filesystem::path& path);

 private:
  struct Step {
    QString what;
    sheet::Sheet sheet;
    quint64 state;
  };
  static constexpr std::size_t kMost = 1000;
  std::vector<Step> past_, future_;
  quint64 now_ = 0, saved_ = 0, last_ = 0;
};

}  // namespace imprimo::app
