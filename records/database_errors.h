// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QSqlError>

#include "records/store_address.h"

namespace imprimo::records {

/// What a driver says, as an Error: ConnectionLost, Collision, NoStore, CannotWrite, BadFile.
[[noreturn]] void throwFor(const QSqlError& error, const StoreAddress& address);

}  // namespace imprimo::records
