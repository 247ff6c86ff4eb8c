// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo {

/// A fuse file (JESD3-C): what each fuse of a programmable logic device becomes.
struct FuseFile {
  std::string design;              ///< the text in front of the first '*', without STX
  std::vector<std::string> notes;  ///< N fields
  BitVector fuses;                 ///< fuse 0 first
  std::uint16_t checksum = 0;      ///< of the fuses, as computed; where the file has one it is the same
  bool checksumGiven = false, transmissionGiven = false;
  std::optional<bool> security;   ///< G field: the security fuse is to be programmed
  std::optional<BitVector> user;  ///< U field, in wire order: its last digit goes first
};

/// Whether a file begins as a fuse file does.
bool looksLikeJesd3(std::string_view text);

/// Throws BadFile "NAME: line L, column C: ...": a field that cannot be read, a fuse outside, fuses that nothing says,
/// either checksum wrong, a file that ends early.
FuseFile parseJesd3(std::string_view text, const std::string& name);

/// The sum of the fuses as 8-bit words, fuse 0 the lowest bit of the first (JESD3-C 7.1).
std::uint16_t fuseChecksum(const BitVector& fuses);

}  // namespace imprimo
