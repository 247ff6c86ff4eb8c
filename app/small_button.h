// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QToolButton>

#include "app/theme.h"

namespace imprimo::app {

/// A button of one word or sign; `name` says in words what it does, for tooltips and readers.
inline QToolButton* smallButton(QWidget* parent, const QString& text, const QString& name) {
  auto* button = new QToolButton(parent);
  button->setText(text);
  button->setAccessibleName(name);
  button->setToolTip(name);
  button->setFont(textFont(12));
  return button;
}

}  // namespace imprimo::app
