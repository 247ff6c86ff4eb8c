// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

namespace imprimo::app {

/// Puts a sheet into the desktop's own list of recent files ($XDG_DATA_HOME/recently-used.xbel, the Desktop Bookmark
/// Specification), where file managers and menus find it. A list that cannot be read or written stays as it is.
void noteForDesktop(const QString& path);

}  // namespace imprimo::app
