// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace imprimo::records {

/// Of the library behind the store, as it runs: "6.4.2".
const char* qtVersion();

}  // namespace imprimo::records
