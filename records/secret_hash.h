// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace imprimo::records {

/// What stands for a secret in ledger and records: "hash:KEY:DIGITS", a BLAKE2b hash (RFC 7693) keyed with the user's
/// own key, which is made on first use and never leaves this computer by itself. The same value gives the same text
/// wherever the key is the same; KEY tells keys apart. Throws CannotWrite, BadFile.
std::string secretHash(const std::string& value);

}  // namespace imprimo::records
