// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/tab_button.h"

#include <QAccessibleWidget>

namespace imprimo::app {
namespace {

constexpr const char* kRole = "spokenRole";

class SpokenChoice : public QAccessibleWidget {
 public:
  SpokenChoice(QAbstractButton* button, QAccessible::Role role) : QAccessibleWidget(button, role) {}

  QAccessible::State state() const override {
    QAccessible::State state = QAccessibleWidget::state();
    const auto* button = qobject_cast<QAbstractButton*>(widget());
    const bool on = button != nullptr && button->isChecked();
    state.selectable = role() == QAccessible::PageTab;
    state.selected = state.selectable && on;
    state.checkable = !state.selectable;
    state.checked = state.checkable && on;
    return state;
  }
  QString text(QAccessible::Text what) const override {
    const QString own = QAccessibleWidget::text(what);
    const auto* button = qobject_cast<QAbstractButton*>(widget());
    return what == QAccessible::Name && own.isEmpty() && button != nullptr ? QString(button->text()).remove('&') : own;
  }
  QStringList actionNames() const override { return QStringList{pressAction()} + QAccessibleWidget::actionNames(); }
  void doAction(const QString& action) override {
    if (action != pressAction()) return QAccessibleWidget::doAction(action);
    if (auto* button = qobject_cast<QAbstractButton*>(widget()); button != nullptr && button->isEnabled())
      button->click();
  }
};

QAccessibleInterface* choiceFor(const QString&, QObject* object) {
  auto* button = qobject_cast<QAbstractButton*>(object);
  const QVariant role = button == nullptr ? QVariant() : button->property(kRole);
  return role.isValid() ? new SpokenChoice(button, static_cast<QAccessible::Role>(role.toInt())) : nullptr;
}

}  // namespace

void speakAs(QAbstractButton* button, QAccessible::Role role) {
  static const bool once = [] {
    QAccessible::installFactory(&choiceFor);
    return true;
  }();
  static_cast<void>(once);
  button->setProperty(kRole, static_cast<int>(role));
}

TabButton::TabButton(const QString& text, QWidget* parent) : QPushButton(parent) {
  speakAs(this, QAccessible::PageTab);
  setText(text);
}

}  // namespace imprimo::app
