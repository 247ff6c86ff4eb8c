// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/spoken.h"

#include <QAbstractScrollArea>
#include <QAccessibleWidget>
#include <QEvent>
#include <QPointer>
#include <QWidget>
#include <algorithm>
#include <functional>
#include <vector>

namespace imprimo::app {
namespace {

/// Null while the widget is made or ends, when its contents are not there.
Spoken* spokenOf(QObject* object) {
  return dynamic_cast<Spoken*>(object);
}

QWidget* surfaceOf(QWidget* widget) {
  auto* area = qobject_cast<QAbstractScrollArea*>(widget);
  return area == nullptr ? widget : area->viewport();
}

class SpokenChild : public QAccessibleInterface, public QAccessibleActionInterface {
 public:
  SpokenChild(QWidget* widget, int index) : widget_(widget), index_(index) {}

  bool isValid() const override {
    const Spoken* spoken = spokenOf(widget_);
    return spoken != nullptr && index_ < spoken->spokenCount();
  }
  QObject* object() const override { return nullptr; }
  QWindow* window() const override { return widget_ == nullptr ? nullptr : widget_->window()->windowHandle(); }
  QAccessibleInterface* childAt(int, int) const override { return nullptr; }
  QAccessibleInterface* parent() const override { return QAccessible::queryAccessibleInterface(widget_); }
  QAccessibleInterface* child(int) const override { return nullptr; }
  int childCount() const override { return 0; }
  int indexOfChild(const QAccessibleInterface*) const override { return -1; }

  QString text(QAccessible::Text what) const override {
    if (!isValid()) return {};
    const SpokenItem item = spokenOf(widget_)->spokenItem(index_);
    if (what == QAccessible::Name) return item.name;
    // A bridge that has no values of list items reads the description.
    return what == QAccessible::Value || what == QAccessible::Description ? item.value : QString();
  }
  void setText(QAccessible::Text, const QString&) override {}
  QRect rect() const override {
    if (!isValid()) return {};
    const QRect rect = spokenOf(widget_)->spokenItem(index_).rect;
    return {surfaceOf(widget_)->mapToGlobal(rect.topLeft()), rect.size()};
  }
  QAccessible::Role role() const override {
    return isValid() ? spokenOf(widget_)->spokenItem(index_).role : QAccessible::NoRole;
  }
  QAccessible::State state() const override {
    QAccessible::State state;
    if (!isValid()) {
      state.invalid = true;
      return state;
    }
    const Spoken* spoken = spokenOf(widget_);
    const SpokenItem item = spoken->spokenItem(index_);
    const bool isCurrent = spoken->spokenCurrent() == index_;
    state.readOnly = true;
    state.disabled = !widget_->isEnabled();
    state.invisible = !widget_->isVisible();
    state.focusable = spoken->spokenCurrent() >= 0;
    state.focused = isCurrent && widget_->hasFocus();
    state.active = isCurrent;
    state.selectable = state.focusable;
    state.selected = item.isSelected;
    state.checkable = item.isOn.has_value();
    state.checked = item.isOn.value_or(false);
    return state;
  }
  void* interface_cast(QAccessible::InterfaceType type) override {
    const bool acts =
        type == QAccessible::ActionInterface && isValid() && spokenOf(widget_)->spokenItem(index_).canBePressed;
    return acts ? static_cast<QAccessibleActionInterface*>(this) : nullptr;
  }

  QStringList actionNames() const override { return {pressAction()}; }
  void doAction(const QString& action) override {
    if (isValid() && action == pressAction()) spokenOf(widget_)->spokenPress(index_);
  }
  QStringList keyBindingsForAction(const QString&) const override { return {}; }

 private:
  QPointer<QWidget> widget_;
  int index_;
};

/// What is painted comes first, then the widgets inside.
class SpokenWidget : public QAccessibleWidget {
 public:
  explicit SpokenWidget(QWidget* widget) : QAccessibleWidget(widget, spokenOf(widget)->spokenRole()) {}
  SpokenWidget(const SpokenWidget&) = delete;
  SpokenWidget& operator=(const SpokenWidget&) = delete;

  int childCount() const override { return painted() + inside(); }
  QAccessibleInterface* child(int index) const override {
    const int count = painted();
    if (index >= count) return inside() == 0 ? nullptr : QAccessibleWidget::child(index - count);
    if (index < 0) return nullptr;
    const auto at = static_cast<std::size_t>(index);
    if (at >= children_.size()) children_.resize(at + 1);
    if (children_[at] == 0) children_[at] = QAccessible::registerAccessibleInterface(new SpokenChild(widget(), index));
    return QAccessible::accessibleInterface(children_[at]);
  }
  int indexOfChild(const QAccessibleInterface* child) const override {
    for (std::size_t i = 0; i < children_.size(); ++i) {
      if (children_[i] != 0 && QAccessible::accessibleInterface(children_[i]) == child) return static_cast<int>(i);
    }
    const int index = QAccessibleWidget::indexOfChild(child);
    return index < 0 || inside() == 0 ? -1 : index + painted();
  }
  QAccessibleInterface* childAt(int x, int y) const override {
    const Spoken* spoken = spokenOf(widget());
    const QPoint point = surfaceOf(widget())->mapFromGlobal(QPoint(x, y));
    for (int i = 0, count = painted(); i < count; ++i) {
      if (spoken->spokenItem(i).rect.contains(point)) return child(i);
    }
    return inside() == 0 ? nullptr : QAccessibleWidget::childAt(x, y);
  }
  QAccessibleInterface* focusChild() const override {
    const Spoken* spoken = spokenOf(widget());
    const int current = spoken == nullptr ? -1 : spoken->spokenCurrent();
    if (widget()->hasFocus() && current >= 0 && current < painted()) return child(current);
    return QAccessibleWidget::focusChild();
  }

 protected:
  ~SpokenWidget() override {
    for (const QAccessible::Id id : children_) {
      if (id != 0) QAccessible::deleteAccessibleInterface(id);
    }
  }

 private:
  int painted() const {
    const Spoken* spoken = spokenOf(widget());
    return spoken == nullptr ? 0 : spoken->spokenCount();
  }
  /// The viewport of a scrolled view has nothing of its own to say.
  int inside() const {
    return qobject_cast<QAbstractScrollArea*>(widget()) != nullptr ? 0 : QAccessibleWidget::childCount();
  }

  mutable std::vector<QAccessible::Id> children_;
};

QAccessibleInterface* interfaceFor(const QString&, QObject* object) {
  if (object == nullptr || !object->isWidgetType() || spokenOf(object) == nullptr) return nullptr;
  return new SpokenWidget(static_cast<QWidget*>(object));
}

/// A view that gets the keys says what they are on.
class FocusTeller : public QObject {
 public:
  FocusTeller(QWidget* widget, std::function<void()> tell) : QObject(widget), tell_(std::move(tell)) {
    widget->installEventFilter(this);
  }
  bool eventFilter(QObject*, QEvent* event) override {
    // Behind the event that Qt sends of the whole view.
    if (event->type() == QEvent::FocusIn) QMetaObject::invokeMethod(this, tell_, Qt::QueuedConnection);
    return false;
  }

 private:
  std::function<void()> tell_;
};

}  // namespace

/// Before the widget has a name: whatever is told of it makes its interface, which stays.
Spoken::Spoken() {
  static const bool once = [] {
    QAccessible::installFactory(&interfaceFor);
    return true;
  }();
  static_cast<void>(once);
}

void Spoken::speaksFor(QWidget* widget) {
  widget_ = widget;
  new FocusTeller(widget, [this] { tellFocus(true); });
}

void Spoken::tellFocus(bool anew) const {
  if (!QAccessible::isActive() || widget_ == nullptr || !widget_->hasFocus()) return;
  const int current = spokenCurrent();
  if (current < 0 || current >= spokenCount()) return;
  const SpokenItem item = spokenItem(current);
  const QString says = item.name + "\n" + item.value;
  if (!anew && says == told_) return;
  const bool sameThing = !anew && told_.startsWith(item.name + "\n");
  told_ = says;
  QAccessibleEvent event(widget_, sameThing ? QAccessible::DescriptionChanged : QAccessible::Focus);
  event.setChild(current);
  QAccessible::updateAccessibility(&event);
}

void Spoken::currentChanged() const {
  tellFocus(false);
}

void Spoken::itemChanged(int index) const {
  if (!QAccessible::isActive() || widget_ == nullptr || !widget_->isVisible() || index < 0 || index >= spokenCount())
    return;
  QAccessibleEvent event(widget_, QAccessible::DescriptionChanged);
  event.setChild(index);
  QAccessible::updateAccessibility(&event);
}

}  // namespace imprimo::app
