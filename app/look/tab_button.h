// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAccessible>
#include <QPushButton>

namespace imprimo::app {

/// Readers get a checkable button as what it is, a tab or one of several, instead of a check box. Before it has a text.
void speakAs(QAbstractButton* button, QAccessible::Role role);

/// A button that brings a view to the front: readers get a tab, which is selected or not.
class TabButton : public QPushButton {
  Q_OBJECT
 public:
  TabButton(const QString& text, QWidget* parent);
};

/// One of several with the same parent that exclude each other, also by the arrow keys.
inline void makeOneOf(QAbstractButton* button) {
  speakAs(button, QAccessible::RadioButton);
  button->setCheckable(true);
  button->setAutoExclusive(true);
}

}  // namespace imprimo::app
