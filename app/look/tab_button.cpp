// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/tab_button.h"

#include <QAccessibleWidget>

namespace imprimo::app {
namespace {

class SpokenTab : public QAccessibleWidget {
 public:
  explicit SpokenTab(TabButton* button) : QAccessibleWidget(button, QAccessible::PageTab) {}

  QAccessible::State state() const override {
    QAccessible::State state = QAccessibleWidget::state();
    const auto* button = qobject_cast<TabButton*>(widget());
    state.selectable = true;
    state.selected = button != nullptr && button->isChecked();
    return state;
  }
  QString text(QAccessible::Text what) const override {
    const auto* button = qobject_cast<TabButton*>(widget());
    if (what == QAccessible::Name && button != nullptr) return QString(button->text()).remove('&');
    return QAccessibleWidget::text(what);
  }
  QStringList actionNames() const override { return QStringList{pressAction()} + QAccessibleWidget::actionNames(); }
  void doAction(const QString& action) override {
    if (action != pressAction()) return QAccessibleWidget::doAction(action);
    if (auto* button = qobject_cast<TabButton*>(widget()); button != nullptr && button->isEnabled()) button->click();
  }
};

QAccessibleInterface* tabFor(const QString&, QObject* object) {
  auto* button = qobject_cast<TabButton*>(object);
  return button == nullptr ? nullptr : new SpokenTab(button);
}

}  // namespace

TabButton::TabButton(const QString& text, QWidget* parent) : QPushButton(text, parent) {
  static const bool once = [] {
    QAccessible::installFactory(&tabFor);
    return true;
  }();
  static_cast<void>(once);
}

}  // namespace imprimo::app
