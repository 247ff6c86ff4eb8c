// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/ledger.h"

namespace imprimo::records {

/// Numbers that were reserved for this station, so that it can go on while the server is away. They are rows of a store
/// of its own on this computer; the server has them as reserved, and hears what became of each by what waits for it.
StoreAddress setAsideStore();

/// Reserves so many units in a ledger and sets them aside. Throws as Ledger::reserve does.
void setAside(Ledger& ledger, std::size_t count);

/// How many of a ledger's are left here; 0 where there never were any.
std::uint64_t leftAside(const std::string& ledger);

}  // namespace imprimo::records
