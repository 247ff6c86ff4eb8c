// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/memory/geometry.h"

namespace imprimo::flash {

/// What a parallel flash says of itself (JESD68.01, common flash interface), as far as it is used.
struct Cfi {
  unsigned commandSet = 0;                      ///< 1 or 2, JEP137
  std::uint32_t bufferBytes = 0;                ///< written by one buffer command; 0 without one
  double wordTypical = 0, wordLongest = 0;      ///< seconds to program one word
  double bufferTypical = 0, bufferLongest = 0;  ///< a full buffer
  memory::Geometry geometry;
  friend bool operator==(const Cfi&, const Cfi&) = default;
};

/// How many bytes of the query space are read; `parseCfi` needs no more.
constexpr std::size_t kCfiBytes = 0x100;

/// `space`: the query space, a byte of it for each of its addresses; the signature is at 0x10. Throws UnknownFlash
/// where there is none, or what it says contradicts itself or is a command set that this program does not know.
Cfi parseCfi(ByteSpan space, const std::string& name);

}  // namespace imprimo::flash
