// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/utc.h"

#include <fmt/chrono.h>

#include <ctime>

namespace imprimo {

std::string utcNow() {
  return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(std::time(nullptr)));
}

}  // namespace imprimo
