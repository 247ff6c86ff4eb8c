// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>

namespace imprimo::app {

/// The sheet's file was changed by somebody else since it was read: what differs, and what to do.
class SaveConflict : public QDialog {
  Q_OBJECT
 public:
  enum Choice { Cancel, WriteMine, OpenTheirs, SaveElsewhere };
  SaveConflict(const QString& file, const QStringList& differences, QWidget* parent = nullptr);
  Choice choice() const { return choice_; }

 private:
  Choice choice_ = Cancel;
};

}  // namespace imprimo::app
