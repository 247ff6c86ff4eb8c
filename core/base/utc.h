// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace imprimo {

/// "2031-04-05T06:07:08Z"
std::string utcNow();

}  // namespace imprimo
