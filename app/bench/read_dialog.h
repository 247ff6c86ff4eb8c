// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "core/base/address_range.h"

namespace imprimo::app {

/// Which bytes go into which file.
class ReadDialog : public QDialog {
  Q_OBJECT
 public:
  /// `whole` is what can be read of the memory.
  ReadDialog(const AddressRange& whole, const QString& memory, QWidget* parent = nullptr);

  AddressRange range() const { return range_; }
  QString file() const { return file_->text(); }
  bool twice() const { return twice_->isChecked(); }

 private:
  void check();

  AddressRange whole_, range_;
  QLineEdit *text_, *file_;
  QCheckBox* twice_;
  QLabel* words_;
  QPushButton* read_;
};

}  // namespace imprimo::app
