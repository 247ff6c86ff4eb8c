// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/amount.h"
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
  SetRegister,  ///< one register of the memory gets a value
  Protect,
  Confirm,
  Look,
  Restart,
  Unlock,   ///< one step of opening a core's memory
  Lock,     ///< one of closing it
  SetWord,  ///< configuration words of a core, or one word of its bus, get values
  Hear,     ///< whether a core says what it should
  Watch     ///< whether a core runs
};

/// The kind's name in JSON: "check-chain", "renew" and so on.
const char* nameOf(StepKind kind);

/// One step of a plan. Which of the lists are filled depends on the kind.
struct Step {
  StepKind kind = StepKind::CheckChain;
  std::string title;                       ///< "Erase 34 blocks"
  std::string why;                         ///< "block 0x003000 differs at 0x003A10"
  Amount amount;                           ///< read, erased, written, compared or shifted; progress counts up to it
  double seconds = 0;                      ///< estimate
  std::vector<AddressRange> ranges;        ///< Read, Save, Confirm, Look, Trial; Unprotect, Protect: what is protected
  std::vector<memory::EraseBlock> erases;  ///< Erase; Renew: one for each block
  std::vector<memory::PageWrite> pages;    ///< Write; Renew: those of all blocks, in order
  std::uint8_t field = 0;  ///< Unprotect, Protect: what the protection bits are set to; SetRegister: the value
  std::string reg;         ///< SetRegister: which one

  /// The amount as records and JSON have it: bytes of a memory, or else what is shifted.
  std::uint64_t bytes() const { return amount.unit == Amount::Bytes ? amount.count : 0; }
  std::uint64_t bits() const { return amount.unit == Amount::Bytes ? 0 : amount.count; }
  AddressRange extent() const;
  /// The exact addresses, where they are not one range: sorted, what touches joined.
  std::vector<AddressRange> places() const;
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
  std::uint64_t bits() const;  ///< of all steps that shift some
  std::size_t count(BlockFate fate) const;
  const Step* find(StepKind kind) const;  ///< the first
  /// Bytes put into the part by Write and Renew.
  std::uint64_t bytesToWrite() const;
  /// Blocks (of the smallest size) that Erase and Renew erase.
  std::size_t blocksToErase(std::uint64_t blockSize) const;
};

/// As it is handed around: nobody changes one that others see.
using PlanPtr = std::shared_ptr<const Plan>;

}  // namespace imprimo::plan
