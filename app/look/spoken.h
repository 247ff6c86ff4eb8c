// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAccessible>
#include <QRect>
#include <QString>
#include <optional>

class QWidget;

namespace imprimo::app {

/// One thing that a painted view shows, as a reader says it.
struct SpokenItem {
  QString name;   ///< no two of one view have the same
  QString value;  ///< what may change while it stays the same thing
  QRect rect;     ///< in the view, or in its viewport
  QAccessible::Role role = QAccessible::ListItem;
  bool isSelected = false;
  std::optional<bool> isOn;  ///< of what can be on or off
  bool canBePressed = false;
};

/// What a widget that paints its contents itself says to readers: each thing that is in sight is a child of it. Indexes
/// are those of now; what is in sight may be another one at the next call.
class Spoken {
 public:
  Spoken();
  virtual ~Spoken() = default;

  virtual QAccessible::Role spokenRole() const { return QAccessible::List; }
  virtual int spokenCount() const = 0;
  /// `index`: from 0, below spokenCount().
  virtual SpokenItem spokenItem(int index) const = 0;
  /// The one that the keys are on; negative: none.
  virtual int spokenCurrent() const { return -1; }
  /// What a click on it, or Return, would do.
  virtual void spokenPress(int index) { static_cast<void>(index); }

 protected:
  /// Once, in the constructor of the widget that this is a part of.
  void speaksFor(QWidget* widget);
  /// The keys are on something else, or that has another value. Tells nobody where it says the same as the last time.
  void currentChanged() const;
  /// Something that need not be where the keys are is another now.
  void itemChanged(int index) const;

 private:
  void tellFocus(bool anew) const;

  QWidget* widget_ = nullptr;
  mutable QString told_;
};

}  // namespace imprimo::app
