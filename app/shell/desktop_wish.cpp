// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/desktop_wish.h"

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QGuiApplication>
#include <QPalette>
#include <QSettings>

#include "app/shell/session_bus.h"

namespace imprimo::app {
namespace {

const QString kService = QStringLiteral("org.freedesktop.portal.Desktop");
const QString kPath = QStringLiteral("/org/freedesktop/portal/desktop");
const QString kInterface = QStringLiteral("org.freedesktop.portal.Settings");
const QString kGroup = QStringLiteral("org.freedesktop.appearance");
const QString kScheme = QStringLiteral("color-scheme");
const QString kContrast = QStringLiteral("contrast");

/// What the desktop said last is kept, so that the window does not come up white on a dark desktop.
QString kept(const QString& key) {
  return "desktop/" + key;
}

/// Asked before anything of ours was set.
bool paletteIsDark() {
  static const bool dark = [] {
    const QPalette palette = QGuiApplication::palette();
    return palette.color(QPalette::Window).lightness() < palette.color(QPalette::WindowText).lightness();
  }();
  return dark;
}

}  // namespace

DesktopWish::DesktopWish(QObject* parent) : QObject(parent) {
  paletteIsDark();
  if (!hasSessionBus()) return;
  QDBusConnection::sessionBus().connect(kService, kPath, kInterface, "SettingChanged", this,
                                        SLOT(settingChanged(QDBusMessage)));
  ask(kScheme);
  ask(kContrast);
}

void DesktopWish::ask(const QString& key) {
  QDBusMessage call = QDBusMessage::createMethodCall(kService, kPath, kInterface, "Read");
  call << kGroup << key;
  auto* reply = new QDBusPendingCallWatcher(QDBusConnection::sessionBus().asyncCall(call), this);
  connect(reply, &QDBusPendingCallWatcher::finished, this, [this, key, reply] {
    const QDBusPendingReply<QDBusVariant> answer = *reply;
    take(key, answer.isError() ? QVariant() : answer.value().variant());
    reply->deleteLater();
  });
}

void DesktopWish::settingChanged(const QDBusMessage& told) {
  const QString group = told.arguments().value(0).toString(), key = told.arguments().value(1).toString();
  if (group == kGroup && (key == kScheme || key == kContrast)) take(key, told.arguments().value(2));
}

void DesktopWish::take(const QString& key, const QVariant& value) {
  // What is asked for comes in two wrappings, what is told in one.
  QVariant inner = value;
  while (inner.canConvert<QDBusVariant>()) inner = inner.value<QDBusVariant>().variant();
  QSettings settings;
  const QVariant before = settings.value(kept(key), 0);
  if (inner.isValid()) {
    settings.setValue(kept(key), inner.toUInt());
  } else {
    settings.remove(kept(key));
  }
  if (before.toUInt() != inner.toUInt()) emit changed();
}

ThemeKind DesktopWish::kind() const {
  const QSettings settings;
  if (settings.value(kept(kContrast)).toUInt() == 1) return ThemeKind::Contrast;
  // 1: dark, 2: light, 0: it does not mind.
  const unsigned scheme = settings.value(kept(kScheme)).toUInt();
  return scheme == 1 || (scheme == 0 && paletteIsDark()) ? ThemeKind::Dark : ThemeKind::Light;
}

}  // namespace imprimo::app
