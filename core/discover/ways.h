// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/bench/bench.h"
#include "core/sheet/sheet_changes.h"
#include "core/store/catalog.h"

namespace imprimo::discover {

/// A way by which a device could lead to a memory.
struct Way {
  enum class Kind {
    Bridge,  ///< through the fabric of an FPGA
    Pins,    ///< which of them is still to be found
    Core,    ///< a region of a core's address space
    Direct,  ///< the device takes a file itself: no memory
  } kind = Kind::Bridge;
  std::string title, words;
  std::string name;       ///< proposed for the memory
  std::string memory;     ///< its entry in the sheet as JSON text, without a name; empty where there is none yet
  std::string core;       ///< the same of a core that the sheet has not yet; empty: none
  bool harmless = false;  ///< asking whether it answers changes nothing and stops nothing
  bool loads = false;     ///< an image of the library would be loaded, which stops the design that runs there
};

/// What the description of a device, the sheet and the library offer, the best first. Empty for a device without a
/// description.
std::vector<Way> waysOf(const sheet::Sheet& sheet, std::size_t position, const store::Catalog& catalog);

/// The sheet with a memory on that way. Throws BadFile, for a name that is taken too.
sheet::Sheet withWay(const sheet::Sheet& sheet, const Way& way, const std::string& name);

/// What came of asking.
struct WayAnswer {
  enum class State {
    Answers,
    NeedsLoading,  ///< nothing answers; an image can be loaded
    Silent,
  } state = State::Silent;
  std::string words;  ///< what it is, or why it does not work
};
/// Asks whether a memory answers there: hello, ID, table. Nothing is loaded and nothing is written, and the bench is as
/// before. Throws LinkLost.
WayAnswer tryWay(bench::Bench& bench, const Way& way);

}  // namespace imprimo::discover
