// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fmt/format.h>

#include "core/base/json_text.h"

namespace imprimo::sim {

inline std::uint64_t numberUpTo(const JsonNode& node, std::uint64_t least, std::uint64_t most) {
  const std::uint64_t value = node.number();
  if (value < least || value > most) node.fail(fmt::format("should be {} to {}", least, most));
  return value;
}

}  // namespace imprimo::sim
