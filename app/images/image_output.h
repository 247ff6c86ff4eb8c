// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/images/image_document.h"

namespace imprimo::app {

/// What comes out: for which part, in which form; what was found when it was looked over; and where it can go.
class ImageOutput : public QWidget {
  Q_OBJECT
 public:
  ImageOutput(Workbench& bench, ImageDocument& document, QAction* save, QAction* toBench, QWidget* parent = nullptr);

 private:
  QWidget* form();
  void addPart(QFormLayout& rows, QWidget* frame);
  void addFile(QFormLayout& rows, QWidget* frame);
  void connectForm();
  QLineEdit* number(const char* name, const QString& label, const QString& tip,
                    std::function<bool(const QString&)> take);
  void refresh();
  void refreshFindings();
  QWidget* findingRow(const Finding& finding, bool answered);
  QHBoxLayout* findingLinks(const Finding& finding, QWidget* row);

  Workbench& bench_;
  ImageDocument& document_;
  QComboBox *for_, *format_, *use_;
  QLineEdit *size_, *block_, *fill_, *sync_, *record_;
  QCheckBox* whole_;
  QLabel* verdict_;
  QVBoxLayout* findings_;
  QPushButton *save_, *toBench_, *keep_;
};

}  // namespace imprimo::app
