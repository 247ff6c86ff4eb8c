// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/report_dialog.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMessageBox>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/atomic_file.h"
#include "core/base/error.h"

namespace imprimo::app {

ReportDialog::ReportDialog(const QString& text, QWidget* parent) : QDialog(parent) {
  setObjectName("reportDialog");
  setWindowTitle(tr("Report a problem"));
  resize(820, 560);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 18, 20, 16);
  column->setSpacing(10);
  auto* title = new QLabel(tr("Versions, probes, the last runs and messages, without contents and keys. Read it, "
                              "change what you like, and send it yourself: nothing leaves this computer from here."),
                           this);
  title->setWordWrap(true);
  title->setFont(textFont(13));
  text_ = new QPlainTextEdit(text, this);
  text_->setObjectName("reportText");
  text_->setAccessibleName(tr("The report"));
  text_->setFont(byteFont(12));
  text_->setLineWrapMode(QPlainTextEdit::NoWrap);
  text_->setTabChangesFocus(true);
  column->addWidget(title);
  column->addWidget(text_, 1);
  auto* row = new QHBoxLayout;
  const auto add = [&](const char* name, const QString& words, auto&& act) {
    auto* button = firmButton(this, name);
    button->setText(words);
    button->setAutoDefault(false);
    button->setProperty("role", "quiet");
    connect(button, &QPushButton::clicked, this, act);
    row->addWidget(button);
  };
  add("reportCopy", tr("Copy"), [this] { QApplication::clipboard()->setText(text_->toPlainText()); });
  add("reportSave", tr("Save…"), [this] { save(); });
  row->addStretch(1);
  add("reportClose", tr("Close"), [this] { accept(); });
  column->addLayout(row);
}

void ReportDialog::save() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Save the report"), "imprimo-report.txt");
  if (path.isEmpty()) return;
  try {
    writeFileAtomically(path.toStdString(), std::string_view(text_->toPlainText().toStdString()));
  } catch (const Error& e) {
    QMessageBox::warning(this, tr("Save the report"), told(e));
  }
}

}  // namespace imprimo::app
