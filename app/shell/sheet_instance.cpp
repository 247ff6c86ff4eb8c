// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/sheet_instance.h"

#include <QCryptographicHash>
#include <QDBusConnection>
#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QFileInfo>

#include "app/shell/session_bus.h"

namespace imprimo::app {
namespace {

const QString kPath = QStringLiteral("/org/imprimo/Sheet");
const QString kInterface = QStringLiteral("org.imprimo.Sheet");
constexpr int kPatienceMs = 2000;

/// Paths have characters that no name on the bus may have.
QString serviceOf(const QString& path) {
  const QString whole = QFileInfo(path).canonicalFilePath();
  if (whole.isEmpty()) return {};
  return "org.imprimo.Sheet.s" +
         QString::fromLatin1(QCryptographicHash::hash(whole.toUtf8(), QCryptographicHash::Sha1).toHex());
}

}  // namespace

SheetInstance::SheetInstance(QObject* parent) : QObject(parent) {
  if (hasSessionBus())
    QDBusConnection::sessionBus().registerObject(kPath, this, QDBusConnection::ExportScriptableSlots);
}

SheetInstance::~SheetInstance() {
  have({});
  if (hasSessionBus()) QDBusConnection::sessionBus().unregisterObject(kPath);
}

bool SheetInstance::bringOther(const QString& path) {
  const QString service = serviceOf(path);
  if (service.isEmpty() || !hasSessionBus()) return false;
  QDBusConnection bus = QDBusConnection::sessionBus();
  if (!bus.isConnected()) return false;
  const QString owner = bus.interface()->serviceOwner(service);
  if (owner.isEmpty() || owner == bus.baseService()) return false;
  // A window that does not answer cannot be brought.
  const QDBusMessage call = QDBusMessage::createMethodCall(service, kPath, kInterface, "bringToFront");
  return bus.call(call, QDBus::Block, kPatienceMs).type() == QDBusMessage::ReplyMessage;
}

void SheetInstance::have(const QString& path) {
  const QString service = path.isEmpty() ? QString() : serviceOf(path);
  if (service == service_ || !hasSessionBus()) return;
  QDBusConnection bus = QDBusConnection::sessionBus();
  if (!service_.isEmpty()) bus.unregisterService(service_);
  service_ = service;
  if (!service_.isEmpty()) bus.registerService(service_);
}

}  // namespace imprimo::app
