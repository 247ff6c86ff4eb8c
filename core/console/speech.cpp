// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/speech.h"

#include <fmt/format.h>

#include "core/base/number.h"

namespace imprimo::console {

std::string Speech::sentence(const std::string& core) const {
  if (seen) return fmt::format("{} said \"{}\" after {}.", core, wanted, durationText(seconds));
  std::string all = fmt::format("{} did not say \"{}\" within {}", core, wanted, durationText(seconds));
  if (exit) all += fmt::format("; its program ended with {}", *exit);
  if (text.empty()) return all + "; it said nothing.";
  // What it came to says most of why.
  const std::size_t end = text.find_last_not_of('\n') + 1;
  const std::size_t begin = end == 0 ? 0 : text.rfind('\n', end - 1) + 1;
  return all + fmt::format("; the last it said was \"{}\".", text.substr(begin, end - begin));
}

}  // namespace imprimo::console
