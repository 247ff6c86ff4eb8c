// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/ledger.h"

namespace imprimo::records {

/// Columns of `unit` in the order that unitRow() reads.
inline constexpr const char* kUnitColumns = "id, state, fields, board, at, station, run";

UnitRow unitRow(const Row& row);

/// Values as a row keeps them: of a secret its hash.
std::string keptFields(const units::Definition& definition, const units::Values& values);
std::map<std::string, std::string> fieldsOf(const std::string& text);

}  // namespace imprimo::records
