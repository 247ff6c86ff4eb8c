// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/image/checksum.h"
#include "core/image/image_file.h"
#include "core/image/pattern.h"

namespace imprimo {

/// A multiple that something begins or ends at: bytes, or with 0 the part's erase block.
using Boundary = std::uint64_t;
constexpr Boundary kEraseBlock = 0;

/// One file and where it goes. What is done to it is done in the order of the members.
struct Placement {
  std::string memory;               ///< the memory's name in the sheet
  std::string file;                 ///< as written by the user; empty with a pattern
  std::optional<std::uint64_t> at;  ///< needed for formats without addresses, otherwise added to the file's own
  bool reversed = false;            ///< bit 7 and bit 0 of each byte swap

  std::optional<Pattern> pattern = {};     ///< made-up contents instead of a file
  std::optional<ImageFormat> format = {};  ///< told by hand
  std::string wrapper = {};                ///< the wrapper card that takes the payload out; empty: none
  std::optional<AddressRange> cut = {};    ///< only this, in the file's own addresses; its end may lie far behind
  unsigned swap = 1;                       ///< bytes of a word whose order turns round: 1 (none), 2 or 4
  bool after = false;                      ///< its lowest address is where the piece before it ends
  std::optional<Boundary> align = {};      ///< its lowest address goes up to a multiple
  std::optional<Boundary> pad = {};        ///< empty bytes up to a multiple
  bool large = false;                      ///< the file may be larger than images are (ReadRules::large)
  ReferredFrom referredFrom = {};
  friend bool operator==(const Placement&, const Placement&) = default;
};

/// "FILE[@ADDRESS][,option]...", split at the last '@' that a number follows. Options: reversed, swap16, swap32, after,
/// align=N or block, pad=N or block, cut=A..B, A+N or A.., format=bin, hex, srec or elf, card=FILE. A FILE that begins
/// with "pattern:" is a pattern (parsePattern). `memory` is left empty. Throws Usage for an option's bad value.
Placement parsePiece(const std::string& text);

/// What people call it: the file's name without folders, or the pattern.
std::string shortName(const Placement& placement);

/// "A..B", "A+N" or "A..", the last one to the end of whatever it is. Nothing for anything else.
std::optional<AddressRange> parseCut(std::string_view text);
/// "block", or a number that is not 0.
std::optional<Boundary> parseBoundary(std::string_view text);

/// A checksum or length that is written into the image.
struct SumPlacement {
  std::string memory;
  std::string kind;       ///< see checksumNamed
  AddressRange range;     ///< over these bytes; what is not there counts as empty
  std::uint64_t at = 0;   ///< where the result goes; over what is there
  bool lowFirst = false;  ///< its bytes turned round
  friend bool operator==(const SumPlacement&, const SumPlacement&) = default;
};

/// "KIND:RANGE@ADDRESS[,low-first]". Throws Usage.
SumPlacement parseSum(const std::string& text);

}  // namespace imprimo
