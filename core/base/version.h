// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace imprimo {

/// Of all programs: "0.1.0". It stands in the top CMakeLists.txt only.
const char* versionText();

}  // namespace imprimo
