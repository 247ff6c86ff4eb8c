// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/speech.h"

#include <fmt/format.h>

#include "core/base/number.h"

namespace imprimo::console {

std::string Speech::sentence(const std::string& core) const {
  if (seen) return fmt::format("{} said \"{}\" after {}.", core, wanted, durationText(seconds));
  std::string all = fmt::format("{} did not say \"{}\" within {}", core, wanted, durationText(seconds));
  if (exit) all += fmt::format("; its program ended with {}", *exit);
  return all + (text.empty() ? "; it said nothing." : ".");
}

}  // namespace imprimo::console
