// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/image/pieces.h"

namespace imprimo {

/// What a memory is for.
enum class MemoryUse { Unknown, Configuration, CoreCode };

/// What is known of the memory that an image is for; what is not known is not looked at.
struct LookOverRules {
  MemoryUse use = MemoryUse::Unknown;
  std::string memory = {};  ///< its name, for sentences
  std::optional<std::uint64_t> size = {}, block = {};
  std::vector<AddressRange> keep = {};
  Bytes sync = {};                       ///< how a bitstream has to begin, as it is stored; behind a pad
  std::optional<AddressRange> ram = {};  ///< of a core; the SRAM region of ARMv7-M (0x20000000) without
  std::optional<std::filesystem::file_time_type> saved = {};  ///< when the image was saved last
};

/// One thing that was looked at.
struct Finding {
  /// Fine; worth knowing; to be decided by a person; cannot be written as it is.
  enum Level { Fine, Note, Trouble, Blocks } level = Fine;
  /// What was looked at.
  enum Kind {
    Overlap,
    Outside,
    Block,
    Kept,
    Sync,
    SyncReversed,  ///< it is there, with the bits of each byte the other way round
    Code,
    Entry,
    Reset,
    Stack,
    File,
    Newer,
    Same,
    Sum,
  } kind = File;
  std::string what;
  std::string remedy = {};  ///< what to do; empty where all is fine
  std::optional<AddressRange> where = {};
  std::vector<std::size_t> pieces = {};  ///< which pieces it is about
};
const char* nameOf(Finding::Level level);
/// As it stands in JSON: "overlap", "sync" (reversed or not) and so on.
const char* nameOf(Finding::Kind kind);

/// All findings: what blocks first, what is fine last.
std::vector<Finding> lookOver(const std::vector<Piece>& pieces, const LookOverRules& rules);

/// Do the first two words look like the vector table of an ARMv7-M core: a stack pointer in `ram`, and a reset vector
/// with its Thumb bit set?
bool looksLikeVectors(ByteSpan head, const AddressRange& ram);
constexpr AddressRange kUsualRam{0x20000000, 0x40000000};

}  // namespace imprimo
