// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/database.h"

namespace imprimo::records {

/// The newest version of the tables that this program knows (docs/formats/store.md).
int schemaVersion();

/// Makes the tables where there are none, and brings older ones to this version, in one transaction. Throws BadFile for
/// a newer version, and CannotWrite where it would have to make them and may not.
void requireSchema(Database& database, int wanted);

}  // namespace imprimo::records
