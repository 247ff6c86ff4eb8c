// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/save_conflict.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/look/theme.h"

namespace imprimo::app {

SaveConflict::SaveConflict(const QString& file, const QStringList& differences, QWidget* parent) : QDialog(parent) {
  setObjectName("saveConflict");
  setWindowTitle(tr("The file was changed by another program"));
  resize(640, 360);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 18, 20, 16);
  column->setSpacing(10);
  auto* title = new QLabel(tr("%1 was changed by another program since it was opened here").arg(file), this);
  title->setFont(textFont(15, QFont::DemiBold));
  title->setWordWrap(true);
  auto* list = new QPlainTextEdit(differences.join('\n'), this);
  list->setObjectName("conflictList");
  list->setReadOnly(true);
  list->setFont(byteFont(12));
  list->setAccessibleName(tr("Differences between the file and this sheet"));
  auto* row = new QHBoxLayout;
  const auto add = [&](const char* name, const QString& text, const QString& tip, Choice choice) {
    auto* button = new QPushButton(text, this);
    button->setObjectName(name);
    button->setToolTip(tip);
    button->setAutoDefault(false);
    button->setProperty("role", "quiet");
    connect(button, &QPushButton::clicked, this, [this, choice] {
      choice_ = choice;
      choice == Cancel ? reject() : accept();
    });
    row->addWidget(button);
    return button;
  };
  add("writeMine", tr("Write this one over it"), tr("The other program's changes are lost"), WriteMine);
  add("openTheirs", tr("Open the file"), tr("The changes made here are lost"), OpenTheirs);
  row->addStretch(1);
  add("saveElsewhere", tr("Save as…"), tr("Both stay"), SaveElsewhere)->setDefault(true);
  add("cancelSave", tr("Cancel"), {}, Cancel);
  column->addWidget(title);
  column->addWidget(list, 1);
  column->addLayout(row);
}

}  // namespace imprimo::app
