// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/bit_vector.h"
#include "core/base/bytes.h"

namespace imprimo::vectors {

/// What one frame of a bridge does to the memory behind it.
struct BridgeOperation {
  enum class Kind { Hello, WriteEnable, Program, Erase, Read, Status, Id, Guard, Other };
  Kind kind = Kind::Other;
  std::uint8_t command = 0;
  AddressRange range{};      ///< Program, Erase, Read; of an erase of unknown size it is empty at its address
  Bytes bytes;               ///< Program: what is written; Read: what is to be answered, as far as `known`
  Bytes known;               ///< Read: the mask of what is compared
  std::size_t answered = 0;  ///< bytes that are compared
  std::size_t answerAt = 0;  ///< where in the scan the answer to its first byte begins
  bool changes() const { return kind == Kind::Program || kind == Kind::Erase; }
  /// "program 256 bytes at 0x05E300", "status: busy must be 0"
  std::string text() const;
};

/// Reads the frames of a bridge of ours back out of data scans (bridge.md), and the commands of a serial flash out of
/// these. Keeps account of the part's way to take addresses.
class BridgeDecoder {
 public:
  /// What an erase command erases; the usual sizes of 20, 52 and D8 and their four-byte forms are there.
  void setEraseSize(std::uint8_t opcode, std::uint64_t size) { eraseSizes_[opcode] = size; }
  /// All addresses have four bytes, or three, from now on.
  void setFourBytes(bool four) { four_ = four; }
  bool fourBytes() const { return four_; }
  /// The part takes addresses otherwise than when it has just got its supply.
  bool otherMode() const { return four_ || segment_ != 0; }

  /// The operations of one scan, `tdi` being its own bits; nothing where it is no frame of ours. `tdo` and `mask` may
  /// be null; the answer to bit j is compared at bit j + `late`.
  std::optional<std::vector<BridgeOperation>> decode(const BitVector& tdi, const BitVector* tdo, const BitVector* mask,
                                                     std::size_t late);

 private:
  BridgeOperation operation(const Bytes& body, std::size_t at, const BitVector* tdo, const BitVector* mask,
                            std::size_t late);
  std::uint64_t address(const Bytes& body, bool four) const;

  std::map<std::uint8_t, std::uint64_t> eraseSizes_{{0x20, 4096},  {0x21, 4096},  {0x52, 32768},
                                                    {0x5C, 32768}, {0xD8, 65536}, {0xDC, 65536}};
  bool four_ = false;
  std::uint8_t segment_ = 0;
};

}  // namespace imprimo::vectors
