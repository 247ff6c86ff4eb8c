// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAccessible>
#include <QStringList>
#include <QWidget>

namespace imprimo::test {

/// What a reader gets of a painted view: "name: value" of each thing in it, a line each.
inline QString heardText(QWidget* widget) {
  QStringList lines;
  QAccessibleInterface* object = QAccessible::queryAccessibleInterface(widget);
  for (int i = 0; object != nullptr && i < object->childCount(); ++i) {
    const QAccessibleInterface* child = object->child(i);
    lines += child->text(QAccessible::Name) + ": " + child->text(QAccessible::Value);
  }
  return lines.join('\n');
}

}  // namespace imprimo::test
