// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/bsdl/boundary_description.h"

namespace imprimo::bsdl {

/// What a library needs to know of a file before somebody asks for the device.
struct Summary {
  std::string entity;  ///< empty: the file describes no device (it may hold a package)
  std::uint32_t instructionLength = 0;
  std::vector<Pattern> idcodes;
  friend bool operator==(const Summary&, const Summary&) = default;
};

/// Picks entity, INSTRUCTION_LENGTH and IDCODE_REGISTER out of a text without looking at anything else. Never throws:
/// what is wrong with a file is said when it is parsed.
Summary skim(std::string_view text);

}  // namespace imprimo::bsdl
