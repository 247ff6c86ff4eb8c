// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDBusMessage>
#include <QObject>

#include "app/look/theme.h"

namespace imprimo::app {

/// Which colours the desktop wishes, as it tells all programs over the bus of the session: color-scheme and contrast of
/// org.freedesktop.appearance. Until it has answered it wishes what it did the last time; where nobody answers, what
/// the desktop's palette has.
class DesktopWish : public QObject {
  Q_OBJECT
 public:
  explicit DesktopWish(QObject* parent = nullptr);
  ThemeKind kind() const;

 signals:
  void changed();

 private slots:
  void settingChanged(const QDBusMessage& told);

 private:
  void ask(const QString& key);
  void take(const QString& key, const QVariant& value);
};

}  // namespace imprimo::app
