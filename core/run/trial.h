// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <span>

#include "core/image/memory_image.h"
#include "core/memory/memory.h"
#include "core/plan/change_steps.h"

namespace imprimo::run {

/// What a trial of the bench found.
struct TrialResult {
  unsigned patterns = 0;
  unsigned reads = 0;
  unsigned wrongReads = 0;
  std::uint64_t bytesRead = 0, wrongBytes = 0;
  std::uint64_t bytesWritten = 0;
  double eraseSeconds = 0, writeSeconds = 0, readSeconds = 0;  ///< real time
  std::map<std::uint64_t, unsigned> wrongAt;                   ///< the first few addresses, and how often
  bool sound() const { return wrongReads == 0; }
  /// "5 patterns, 100 reads: all as written; writes 41 KiB/s, reads 1.1 MiB/s"
  std::string text() const;
};

/// Erases `blocks` (they join up) and writes each pattern to them, reads it back `readsEach` times, and puts `old` back
/// at the end, also when a read is wrong or somebody stops it. Progress tells of what was read.
TrialResult tryBench(memory::Memory& memory, std::span<const memory::EraseBlock> blocks, const Bytes& old,
                     unsigned readsEach, Progress& progress);

}  // namespace imprimo::run
