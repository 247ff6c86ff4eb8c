// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QHBoxLayout>

#include "app/look/small_widgets.h"

namespace imprimo::app {

/// What stands below the fields of a dialog: what is wrong with them, Cancel, and what is done.
struct DialogFoot {
  QLabel* problem;
  QPushButton* go;
};

/// Names of its parts begin with `prefix`.
inline DialogFoot addFoot(QDialog* dialog, QVBoxLayout* column, const QString& prefix, const QString& does) {
  DialogFoot foot{new QLabel(dialog), firmButton(dialog, qPrintable(prefix + "Go"))};
  foot.problem->setObjectName(prefix + "Problem");
  foot.problem->setProperty("role", "trouble");
  foot.problem->setFont(textFont(13));
  foot.problem->setWordWrap(true);
  column->addWidget(foot.problem);
  auto* cancel = firmButton(dialog, qPrintable(prefix + "Cancel"));
  cancel->setText(QDialog::tr("Cancel"));
  cancel->setAutoDefault(false);
  foot.go->setText(does);
  foot.go->setDefault(true);
  auto* row = new QHBoxLayout;
  row->addStretch(1);
  row->addWidget(cancel);
  row->addWidget(foot.go);
  column->addLayout(row);
  QObject::connect(cancel, &QPushButton::clicked, dialog, &QDialog::reject);
  return foot;
}

}  // namespace imprimo::app
