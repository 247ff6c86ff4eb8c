// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/image/memory_image.h"
#include "core/memory/memory.h"

namespace imprimo::plan {

enum class StepKind {
  AwaitTarget,
  CheckChain,
  LoadBridge,  ///< the part that the memory is behind is made a bridge, unless it is one
  Configure,   ///< one stage of configuring a part
  Play,        ///< a file of vectors
  Identify,
  Finish,   ///< what an earlier run left undone is put back
  Compare,  ///< with what was read before, or what a file of vectors was made from
  Read,
  Save,
  Unprotect,
  Renew,
  Erase,
  Write,
  Trial,
  Protect,
  Confirm,
  Look,
  Restart
};

/// The kind's name in JSON: "check-chain", "renew" and so on.
const char* nameOf(StepKind kind);

/// One step of a plan. Which of the lists are filled depends on the kind.
struct Step {
  StepKind kind = StepKind::CheckChain;
  std::string title;                       ///< "Erase 34 blocks"
  std::string why;                         ///< "block 0x003000 differs at 0x003A10"
  std::uint64_t bytes = 0;                 ///< read, erased, written or compared
  std::uint64_t bits = 0;                  ///< LoadBridge, Configure: shifted; progress counts these instead
  double seconds = 0;                      ///< estimate
  std::vector<AddressRange> ranges;        ///< Read, Save, Confirm, Look, Trial; Unprotect, Protect: what is protected
  std::vector<memory::EraseBlock> erases;  ///< Erase; Renew: one for each block
  std::vector<memory::PageWrite> pages;    ///< Write; Renew: those of all blocks, in order
  std::uint8_t field = 0;                  ///< Unprotect, Protect: what the protection bits are set to

  AddressRange extent() const;
  /// The exact addresses, where they are not one range: sorted, what touches joined.
  std::vector<AddressRange> places() const;
  /// What progress counts up to, and how it is told: "1.2 MiB", "9.46 Mbit".
  std::uint64_t amount() const { return bits > 0 ? bits : bytes; }
  std::string amountText(std::uint64_t done) const;
};

/// What becomes of one block; blocks are the smallest that can be erased.
enum class BlockFate {
  Unknown,  ///< what the part holds has to be read first
  Agrees,   ///< holds what is planned
  Write,    ///< can be written without erasing
  Erase,    ///< is erased and then written, if anything but blank is planned
  Renew,    ///< is erased and gets back what else lives in it, in one go
};
struct BlockPlan {
  AddressRange range;
  BlockFate fate = BlockFate::Unknown;
  std::string why;
};

/// What a run will do to one memory, and what it did. The steps are in order.
struct Plan {
  std::string memory;
  std::vector<Step> steps;
  std::vector<BlockPlan> blocks;  ///< those that are touched by what is planned, in order
  MemoryImage before;             ///< Compare: what they hold now
  MemoryImage target;             ///< what those blocks hold afterwards; only as far as it is known
  bool complete = false;          ///< false while contents have to be read first: fates and figures are the worst case

  double seconds() const;
  std::uint64_t bits() const;  ///< of all steps
  std::size_t count(BlockFate fate) const;
  const Step* find(StepKind kind) const;  ///< the first
  /// Bytes put into the part by Write and Renew.
  std::uint64_t bytesToWrite() const;
  /// Blocks (of the smallest size) that Erase and Renew erase.
  std::size_t blocksToErase(std::uint64_t blockSize) const;
};

}  // namespace imprimo::plan
