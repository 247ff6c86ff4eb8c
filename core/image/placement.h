// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/image/image_file.h"

namespace imprimo {

/// One file and where it goes.
struct Placement {
  std::string memory;               ///< the memory's name in the sheet
  std::string file;                 ///< as written by the user; see pathOf
  std::optional<std::uint64_t> at;  ///< needed for formats without addresses, otherwise added to the file's own
  bool reversed = false;            ///< bit 7 and bit 0 of each byte swap
  friend bool operator==(const Placement&, const Placement&) = default;
};

/// A placement with its file read: final addresses, bits in their final order.
struct Piece {
  Placement placement;
  ImageFormat format = ImageFormat::Raw;
  MemoryImage image;
};

/// "FILE[@ADDRESS][,reversed]", split at the last '@' that a number follows. `memory` is left empty.
Placement parsePiece(const std::string& text);

/// Reads and places one file; relative paths start at `folder`. Throws BadFile, and Usage when a file without
/// addresses has none given.
Piece readPiece(const Placement& placement, const std::filesystem::path& folder);

/// All pieces together. Throws Usage naming both files and the range where two overlap.
MemoryImage combine(const std::vector<Piece>& pieces);

/// Throws Usage with file, range and size when a piece does not fit into a memory of `size` bytes.
void checkFits(const std::vector<Piece>& pieces, const std::string& memory, std::uint64_t size);

}  // namespace imprimo
