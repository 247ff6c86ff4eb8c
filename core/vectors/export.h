// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/base/progress.h"
#include "core/bench/device_config.h"
#include "core/plan/planner.h"
#include "core/sheet/sheet.h"
#include "core/svf/writer.h"

namespace imprimo::vectors {

/// The same work as a run, as a file of vectors.
struct VectorWish {
  enum class Scope {
    Work,   ///< what `memories` want
    Chain,  ///< only that it is the right chain
    Id,     ///< and that the right memories answer
  };
  Scope scope = Scope::Work;
  std::vector<plan::Wanted> memories;   ///< in order
  std::optional<MemoryImage> contents;  ///< what the memory is known to hold; for a single one
  bool load = true;                     ///< bridges of the sheet's routes are loaded
  svf::WriterOptions writer;            ///< its `hz` is the sheet's, if none other is wanted
  /// The part with the bridge is in another chain than the sheet's: instruction lengths of the parts towards TDI, and
  /// towards TDO.
  struct Elsewhere {
    std::vector<std::uint32_t> before, after;
  };
  std::optional<Elsewhere> elsewhere;
};

/// What became of it.
struct VectorFile {
  std::uint64_t bytes = 0;                              ///< of text
  double seconds = 0;                                   ///< that playing it takes, every wait at its longest
  std::uint64_t written = 0, compared = 0, erased = 0;  ///< bytes of memory
};

/// Writes what `wish` asks for, planned from what is on paper: a memory's part card, or what was last seen of it.
/// Nothing needs to be connected. `progress` counts bytes of memory, of all of them together. Throws Usage where
/// neither is there, where a kept range lies in a block that is erased, and what planning throws; BadFile for cards and
/// images, Refused where a part cannot be configured by vectors, Stopped.
VectorFile writeVectors(const sheet::Sheet& sheet, const VectorWish& wish, const bench::ConfigCardFinder& cards,
                        const svf::Sink& sink, Progress& progress);

}  // namespace imprimo::vectors
