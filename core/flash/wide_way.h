// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/flash/nor_commands.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// The commands over several lines that a port and a part both have. None is used before it has read the same bytes as
/// one line does; and none programs over more lines than a proven read has sent its address over.
class WideWay {
 public:
  WideWay() = default;
  /// `lines`: of the port. `fourByte`: only commands that always take four address bytes.
  WideWay(unsigned lines, const NorCommands& commands, bool fourByte);

  /// Reads that are still to be tried, the fastest first; empty when one is proven.
  const std::vector<WideCommand>& untried() const { return untried_; }
  /// Without four lines, since they are not switched on.
  void dropFour();
  /// The first of those that are untried read as one line does, or did not.
  void tried(bool agrees);
  /// All is to be proven anew.
  void forget() { *this = WideWay(lines_, commands_, fourByte_); }

  const WideCommand* read() const { return read_ ? &*read_ : nullptr; }
  const WideCommand* program() const;

 private:
  unsigned lines_ = 1;
  bool fourByte_ = false;
  NorCommands commands_;
  std::vector<WideCommand> untried_;
  std::optional<WideCommand> read_;
};

/// A read of `count` bytes, with its address in so many bytes. Ones stand where a part looks for what would keep it in
/// the command.
void addWideRead(spi::SpiBatch& batch, const WideCommand& command, ByteSpan address, std::size_t count);
void addWideProgram(spi::SpiBatch& batch, const WideCommand& command, ByteSpan address, ByteSpan bytes);
/// Whether these bytes would read otherwise if any of so many lines stood still or was another one.
bool tellLines(ByteSpan bytes, unsigned lines);

}  // namespace imprimo::flash
