// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace imprimo::console {

/// A number that a line gives a name to: "level=1472".
struct NamedNumber {
  std::string name;
  double value = 0;
  friend bool operator==(const NamedNumber&, const NamedNumber&) = default;
};

/// All of a line, in order: a name of letters, digits, '_' and '.', which does not begin with a digit, then '=' and a
/// decimal number or one in hexadecimal with 0x.
std::vector<NamedNumber> namedNumbers(std::string_view line);

}  // namespace imprimo::console
