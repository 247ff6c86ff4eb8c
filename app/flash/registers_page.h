// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QFrame>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <array>

#include "app/model/workbench.h"

namespace imprimo::app {

/// One register: its bits as switches with their names, what would be written, and the button that writes it.
class RegisterCard : public QFrame {
  Q_OBJECT
 public:
  explicit RegisterCard(memory::Register what, QWidget* parent = nullptr);
  /// What the part holds now; switches that were set otherwise go back to it.
  void setValue(std::uint8_t value);
  /// For undoing: switches go to `value`, nothing is written yet.
  void propose(std::uint8_t value);

 signals:
  void writeWanted(quint8 value);

 private:
  QGridLayout* switches();
  QHBoxLayout* foot();
  void refresh();
  std::uint8_t wanted() const;

  memory::Register what_;
  std::uint8_t value_ = 0;
  std::array<QToolButton*, 8> bits_{};
  QLabel *figure_, *warning_;
  QCheckBox* forEver_;
  QPushButton* write_;
};

/// All registers of the memory that is looked at.
class RegistersPage : public QWidget {
  Q_OBJECT
 public:
  explicit RegistersPage(Workbench& bench, QWidget* parent = nullptr);

 private:
  void rebuild();
  void takeValues();
  void undo();

  Workbench& bench_;
  QVBoxLayout* column_;
  std::vector<RegisterCard*> cards_;
  QLabel* words_;
  QToolButton *again_, *undo_;
  struct Written {
    std::size_t index;
    std::uint8_t before;
  };
  std::vector<Written> history_;
};

}  // namespace imprimo::app
