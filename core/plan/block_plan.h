// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/image/memory_image.h"
#include "core/plan/plan.h"

namespace imprimo::plan {

/// One block looked at: what happens to it, and with which commands.
struct BlockWork {
  BlockPlan plan;
  Bytes target;                          ///< what the block holds afterwards; empty when Unknown
  std::vector<memory::PageWrite> pages;  ///< to write, after the erase if there is one
};

/// `contents` is what the part is known to hold. Throws Refused when an erase is needed and `noErase`:
/// a bit would have to go from 0 to 1, or a page that is not blank would have to be programmed again.
BlockWork workForBlock(const AddressRange& block, const memory::Geometry& geometry, const MemoryImage& desired,
                       const MemoryImage& contents, bool noErase);

/// A block that is not known is erased and holds what is desired afterwards, and nothing else.
void eraseUnseen(BlockWork& work, std::uint32_t pageSize, const MemoryImage& desired);

/// The block is erased and written again although it could be left as it is, for `why`. Unknown blocks stay unknown.
void rewrite(BlockWork& work, std::uint32_t pageSize, const MemoryImage& desired, const MemoryImage& contents,
             const std::string& why);

/// Joins sorted blocks (each the smallest at its place) into the largest erase commands that fit.
std::vector<memory::EraseBlock> largestErases(const std::vector<AddressRange>& blocks,
                                              const memory::Geometry& geometry);

}  // namespace imprimo::plan
