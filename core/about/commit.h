// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace imprimo {

/// The commit that this was built from, in twelve digits, with "+" behind it where files were changed; "unknown"
/// outside a repository.
const char* commitText();

}  // namespace imprimo
