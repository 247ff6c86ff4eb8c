// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/ledger.h"

namespace imprimo::records {

/// Columns of `unit` in the order that unitRow() reads.
inline constexpr const char* kUnitColumns = "id, state, fields, board, at, station, run";

UnitRow unitRow(const Row& row);

/// One change of a unit, as all look at it later. One that had been made void meanwhile says so in its reason.
void storeEvent(Database& database, const std::string& ledger, const Ledger::News& news, const std::string& at);
/// The unit's new state, with its event: in a transaction of the caller's.
void storeState(Database& database, const std::string& ledger, const Ledger::News& news);
/// The ledger has this state of this run already.
bool hasState(Database& database, const std::string& ledger, const Ledger::News& news);

/// Values as a row keeps them: of a secret its hash.
std::string keptFields(const units::Definition& definition, const units::Values& values);
std::map<std::string, std::string> fieldsOf(const std::string& text);

}  // namespace imprimo::records
