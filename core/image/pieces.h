// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/input_file.h"
#include "core/image/placement.h"
#include "core/image/wrapper_card.h"

namespace imprimo {

/// A file as it is, before anything is done to it: its bytes at its own addresses, and what else it says.
struct SourceFile {
  ImageFile file;
  std::vector<Unwrapped::Field> fields = {};  ///< of its header, with a wrapper card
  std::uint64_t payloadAt = 0;                ///< bytes of header before the image
  Bytes sync = {};                            ///< how the card says that the payload begins
  bool cardReverses = false;                  ///< the card says that the payload's bits are swapped
  std::filesystem::file_time_type changed = {};
};

/// Reads the placement's file (or makes its pattern), without placing it; relative paths start at `folder`. Throws
/// BadFile, and Stopped.
SourceFile readSource(const Placement& placement, const std::filesystem::path& folder, const ReadRules& reading = {});

/// A placement with its file read: final addresses, bytes and bits in their final order.
struct Piece {
  Placement placement;
  ImageFormat format = ImageFormat::Raw;
  MemoryImage image = {};
  std::shared_ptr<const SourceFile> source = {};  ///< null for checksums; with its bytes where the piece shares them
  std::uint64_t moved = 0;                        ///< added to the file's own addresses, modulo 2^64
  std::string name() const { return shortName(placement); }
  /// Up to `count` bytes from the lowest address on, as they are in the file: bits and words turned back.
  Bytes headAsInFile(std::size_t count) const;
};

/// What placing has to know besides the file.
struct LayoutRules {
  std::optional<std::uint64_t> block = {};  ///< the part's smallest erase block
  std::uint64_t before = 0;                 ///< where the piece before ends
  std::uint8_t fill = kBlankByte;           ///< of empty bytes that pad
  ReadRules reading = {};                   ///< how files are read; what is large says the placement
};

/// Places a file. Throws Usage when a file without addresses has none given, when a cut leaves nothing, when words to
/// be swapped are not whole, when the block is asked for and not known, or when it would run past the last address.
Piece place(SourceFile&& source, const Placement& placement, const LayoutRules& rules = {});
Piece place(const std::shared_ptr<const SourceFile>& source, const Placement& placement, const LayoutRules& rules = {});

/// Reads and places one file, or several, each knowing where the one before it ends.
Piece readPiece(const Placement& placement, const std::filesystem::path& folder, const LayoutRules& rules = {});
std::vector<Piece> readPieces(const std::vector<Placement>& placements, const std::filesystem::path& folder,
                              LayoutRules rules = {});

/// Computes checksums over what is placed and writes each where it goes: over a piece's bytes, or as a piece of its own
/// named after it. They are done in order, so one may cover another.
/// Throws Stopped between pieces of 64 KiB.
void writeSums(std::vector<Piece>& pieces, const std::vector<SumPlacement>& sums, std::uint8_t fill = kBlankByte,
               const std::stop_token& stop = {});

/// All pieces together. Throws Usage naming both files and the range where two overlap.
MemoryImage combine(const std::vector<Piece>& pieces);
/// The same; the pieces keep no bytes.
MemoryImage combine(std::vector<Piece>&& pieces);

/// Throws Usage with file, range and what there is when a piece does not fit into a memory that is `whole`.
void checkFits(const std::vector<Piece>& pieces, const std::string& memory, const AddressRange& whole);

}  // namespace imprimo
