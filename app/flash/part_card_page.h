// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>
#include <map>

#include "app/model/workbench.h"
#include "core/flash/card_check.h"

namespace imprimo::app {

/// A part card as a form, every value held against the live part as it is typed. Registers, protection and the like
/// come along from the card that it began with.
class PartCardPage : public QWidget {
  Q_OBJECT
 public:
  explicit PartCardPage(Workbench& bench, QWidget* parent = nullptr);

 private:
  struct Row {
    QLineEdit* edit;
    QLabel* verdict;
  };
  void addRow(const char* key, const QString& label, const QString& hint);
  /// With the sheet's card, or with what the part in use is known as.
  void fill();
  void beginWith(const flash::PartCard& card);
  void beginWithFile();
  /// The card as typed; what cannot be read is in `wrong`, by key.
  flash::PartCard typed(std::map<std::string, QString>& wrong) const;
  void check();
  /// Asks the part what it says of itself; `own` is of use then.
  void askPart(QWidget* own);
  /// Looks whether reading begins anew at `size`.
  void probeSize(std::uint64_t size);
  void use();

  Workbench& bench_;
  QGridLayout* grid_;
  std::map<std::string, Row> rows_;
  QComboBox* fourByte_;
  QLabel* words_;
  QPushButton* use_;
  flash::PartCard card_;
  std::optional<flash::FlashEvidence> part_;
  std::map<std::uint64_t, std::optional<bool>> wraps_;  // by size
  bool filled_ = false;
};

}  // namespace imprimo::app
