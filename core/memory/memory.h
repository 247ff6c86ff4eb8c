// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/progress.h"
#include "core/memory/identity.h"

namespace imprimo::memory {

/// Blocks to erase with one command.
struct EraseBlock {
  AddressRange range;
  std::size_t type = 0;  ///< index into Geometry::erase
  friend bool operator==(const EraseBlock&, const EraseBlock&) = default;
};

/// Bytes for one program command; all of them lie in one page.
struct PageWrite {
  std::uint64_t address = 0;
  Bytes bytes;
  AddressRange range() const { return {address, address + bytes.size()}; }
  friend bool operator==(const PageWrite&, const PageWrite&) = default;
};

/// An ability: what is stored is compared where it is, without being read.
class Comparing {
 public:
  virtual ~Comparing() = default;
  /// A checksum of each of these blocks of the memory, made by whatever is beside it; nothing of a block for which it
  /// cannot be made. Throws LinkLost.
  virtual std::vector<std::optional<std::uint64_t>> sums(std::span<const AddressRange> blocks) = 0;
  /// The same of bytes here.
  virtual std::uint64_t sumOf(ByteSpan bytes) const = 0;
};

/// A memory on the bench, identified. Each call checks for a stop between pieces of at most 50 ms of bus time, or of a
/// page where the route is slower, and then throws Stopped with at(); it also throws LinkLost with at(), the address at
/// which the work stood.
class Memory {
 public:
  virtual ~Memory() = default;
  virtual const Identity& identity() const = 0;
  const Geometry& geometry() const { return identity().geometry; }

  /// Reads out.size() bytes from `address`; what progress was told of is in `out`, also after an error.
  virtual void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) = 0;

  /// Short pieces in one go, each at most 4 KiB, without looking for a stop. Throws LinkLost.
  virtual std::vector<Bytes> readPieces(std::span<const AddressRange> pieces) = 0;

  /// Erases in order and waits each time until the part is ready again. After an error the blocks told to `progress`
  /// are erased; the one at at() may be in any state. Throws NotErased when the part stays busy past its longest time.
  /// Does not look at the result.
  virtual void erase(std::span<const EraseBlock> blocks, Progress& progress) = 0;

  /// Programs in order; bits can only go from 1 to 0. After an error the pages told to `progress` were programmed; of
  /// those behind at(), at most 50 ms worth may have been too. Throws NotProgrammed when the part stays busy.
  virtual void program(std::span<const PageWrite> pages, Progress& progress) = 0;

  /// A run on it begins. Throws Refused where it `changes` the memory and the sheet lets it only be read; LinkLost.
  virtual void beginRun(bool /*changes*/) {}
  /// Sets the modes that the work relies on, and proves them where that can be done by reading. Throws Refused where it
  /// is proven that the part did not take them; LinkLost.
  virtual void enterModes() {}
  /// Puts the memory back as it was found, and proves it where that can be done. Nothing is sent where it was not
  /// touched since. Throws Refused where it is proven that it is otherwise; LinkLost.
  virtual void leaveModes() {}
  virtual bool inItsModes() const { return true; }
  /// How it was found and is left, as JSON text, for a later run that has to put it back; empty: nothing to put back.
  virtual std::string foundModes() const { return {}; }
  /// Throws BadFile for what is none of this kind's.
  virtual void setFoundModes(const std::string& /*json*/) {}

  /// A few bytes that it says of itself, by which a link is proven; empty where there is nothing that stays the same.
  virtual Bytes signature() { return {}; }
  /// How many of `times` are as `expected`. What is thrown counts as one that is not, but for a lost link.
  virtual int equalSignatures(const Bytes& expected, int times);

  // Abilities: null where this memory has them not.
  virtual Registers* registers() { return nullptr; }
  virtual Comparing* comparing() { return nullptr; }
};

}  // namespace imprimo::memory
