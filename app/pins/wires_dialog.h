// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <array>

#include "app/pins/pins_model.h"
#include "core/pins/wire_candidates.h"

namespace imprimo::app {

/// Which ports of a device lead to a serial flash: chosen by typing, or looked for; and put into the sheet.
class WiresDialog : public QDialog {
  Q_OBJECT
 public:
  /// `memory`: the one that gets this way; empty: a new one.
  WiresDialog(Workbench& bench, PinsModel& model, const QString& memory, QWidget* parent);

 private:
  static constexpr std::size_t kRoles = std::size(pins::kWireRoles);
  QWidget* wiresBox();
  QWidget* searchBox();
  QComboBox* portBox(pins::WireRole role);
  void propose();
  void look();
  void take(const WireNews& news);
  void refresh();
  void putIntoSheet();
  /// What is typed or chosen; nothing for an empty one. Throws Usage for a port that there is not.
  std::optional<std::size_t> chosen(pins::WireRole role) const;
  std::vector<std::size_t> candidates() const;
  /// Why the wires cannot be these; empty where they can.
  QString trouble() const;

  Workbench& bench_;
  PinsModel& model_;
  QComboBox* memory_;
  std::array<QComboBox*, kRoles> ports_{};
  QLineEdit* among_;
  QLabel *tried_, *words_;
  QPushButton* look_;
  QPushButton* put_ = nullptr;
  bool looks_ = false;
};

}  // namespace imprimo::app
