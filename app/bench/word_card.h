// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QFrame>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>

#include "core/bench/cores/core_words.h"

namespace imprimo::app {

/// One configuration word of a core: its fields with what their values mean, the value that it has and the one that it
/// is to get, the bits that change, and what that would do.
class WordCard : public QFrame {
  Q_OBJECT
 public:
  explicit WordCard(debug::ConfigWord word, QWidget* parent = nullptr);
  const debug::ConfigWord& word() const { return word_; }
  /// What the chip holds now; what was typed otherwise is forgotten.
  void setFound(const bench::WordFound& found);
  void propose(std::uint32_t value);
  /// What it is to get; nothing where that is what it holds, or is no value.
  std::optional<std::uint32_t> change() const;
  bool isWrong() const { return wrong_; }
  debug::WordHarm harm() const;
  /// That a value which locks the chip permanently was said to be meant.
  bool mayLockPermanently() const { return permanent_->isChecked(); }

 signals:
  void edited();

 private:
  struct Row {
    QComboBox* value;
    QLabel* before;
  };
  void addRow(QGridLayout* grid, std::size_t index);
  void takeWhole();
  void takeField(std::size_t index);
  void show(std::uint32_t value);
  void refresh();

  debug::ConfigWord word_;
  bench::WordFound found_;
  std::uint32_t wanted_ = 0;
  bool wrong_ = false;
  std::vector<Row> rows_;
  QLineEdit* whole_;
  QLabel *before_, *bits_, *warning_;
  QCheckBox* permanent_;
};

}  // namespace imprimo::app
