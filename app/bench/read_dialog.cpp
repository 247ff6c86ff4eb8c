// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/read_dialog.h"

#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QToolButton>

#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {

ReadDialog::ReadDialog(const AddressRange& whole, const QString& memory, QWidget* parent)
    : QDialog(parent), whole_(whole), range_(whole) {
  setObjectName("readDialog");
  setWindowTitle(tr("Read %1 to a file").arg(memory));
  auto* form = new QFormLayout(this);
  text_ = new QLineEdit(QString::fromStdString(hexAddress(whole.begin) + ".." + hexAddress(whole.end - 1)), this);
  text_->setObjectName("readRange");
  text_->setFont(byteFont(12));
  file_ = new QLineEdit(memory + ".bin", this);
  file_->setObjectName("readFile");
  file_->setAccessibleName(tr("File that it goes into"));
  file_->setMinimumWidth(320);
  auto* choose = smallButton(this, tr("choose…"), tr("Choose the file"));
  auto* row = new QHBoxLayout;
  row->addWidget(file_);
  row->addWidget(choose);
  twice_ = new QCheckBox(tr("read it a second time and compare"), this);
  twice_->setObjectName("readTwice");
  words_ = mutedLabel(this, {});
  read_ = new QPushButton(tr("Read"), this);
  read_->setObjectName("readNow");
  read_->setProperty("role", "main");
  read_->setDefault(true);
  form->addRow(tr("Addresses"), text_);
  form->addRow(tr("Into"), row);
  form->addRow({}, twice_);
  form->addRow(words_);
  form->addRow(read_);
  connect(choose, &QToolButton::clicked, this, [this] {
    const QString path = QFileDialog::getSaveFileName(this, tr("Read to a file"), file_->text(),
                                                      tr("Raw binary (*.bin);;Intel HEX (*.hex);;All files (*)"));
    if (!path.isEmpty()) file_->setText(path);
  });
  connect(text_, &QLineEdit::textChanged, this, &ReadDialog::check);
  connect(file_, &QLineEdit::textChanged, this, &ReadDialog::check);
  connect(read_, &QPushButton::clicked, this, &QDialog::accept);
  check();
}

void ReadDialog::check() {
  const auto range = parseRange(text_->text().trimmed().toStdString());
  const bool fine = range && range->end <= whole_.end;
  read_->setEnabled(fine && !file_->text().trimmed().isEmpty());
  if (fine) range_ = *range;
  words_->setText(fine ? tr("%1, Intel HEX if the name ends in .hex, otherwise raw")
                             .arg(QString::fromStdString(sizeText(range->size())))
                  : range ? tr("it ends at %1").arg(QString::fromStdString(hexAddress(whole_.end - 1)))
                          : tr("write A..B (both ends included) or A+N, with A before B"));
}

}  // namespace imprimo::app
