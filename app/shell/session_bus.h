// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFileInfo>

namespace imprimo::app {

/// There is a bus of the session; without one none is to be started for our sake.
inline bool hasSessionBus() {
  return qEnvironmentVariableIsSet("DBUS_SESSION_BUS_ADDRESS") ||
         QFileInfo::exists(qEnvironmentVariable("XDG_RUNTIME_DIR") + "/bus");
}

}  // namespace imprimo::app
