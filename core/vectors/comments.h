// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/vectors/bridge_decoder.h"

namespace imprimo::vectors {

/// Around the statements of one block that holds other bytes than the planned ones: a player stops before or behind
/// them. The first is followed by the block's address.
constexpr const char* kTogether = "Do not stop in block";
constexpr const char* kTogetherEnds = "Here a stop is safe";
/// In front of the statements at a file's end that put the parts' modes back; they are played behind a stop too.
constexpr const char* kClosing = "Closing";

/// In front of the statements that identify a memory; the memory's name follows. All statements from there on are for
/// it.
constexpr const char* kTarget = "Target ";

/// What comments of ours say of the memories in a file (docs/formats/vectors.md), as they are come by.
class VectorComments {
 public:
  void take(const std::string& comment);
  /// One that knows what the head said.
  BridgeDecoder decoder() const;
  /// The memory that the step is about; empty where none has told.
  const std::string& memory() const { return memory_; }

 private:
  struct EraseSize {
    std::uint8_t opcode = 0, opcode4 = 0;
    std::uint64_t size = 0;
  };
  std::vector<EraseSize> erases_;
  bool four_ = false;
  std::string memory_;
};

}  // namespace imprimo::vectors
