// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/range_set.h"
#include "core/memory/known_contents.h"

namespace imprimo::run {

/// What a run can say at its end, and why. Every sentence of a verdict that claims something is made from this.
struct Claims {
  RangeSet compared;     ///< read in this run, behind the last command that reached it, and equal to what is planned
  RangeSet proven;       ///< equal to it as read earlier, and the route proves that nobody else could have changed it
  std::string provenBy;  ///< how: "the bridge kept its mark"
  RangeSet differing;    ///< known now, and otherwise than planned
  RangeSet unconfirmed;  ///< planned, and not known
  RangeSet addressed;    ///< erase or program commands were or may have been sent for it
  bool protection = false;           ///< the block protection is not as it was found
  bool opened = false;               ///< it was cleared in between
  bool modes = false;                ///< other modes of the part are not
  bool registers = false;            ///< one was written
  std::vector<std::string> stopped;  ///< parts whose design was stopped to make them a bridge

  /// Nothing that the run did reached the memory's bytes, its protection or its modes.
  bool memoryUntouched() const { return addressed.empty() && !protection && !opened && !modes && !registers; }
  bool nothingTouched() const { return memoryUntouched() && stopped.empty(); }
  /// All that was planned is there.
  bool asPlanned() const { return differing.empty() && unconfirmed.empty(); }
};

/// Holds `target` against what is known; `fresh` was read in this run.
Claims claimsOf(const MemoryImage& target, const memory::KnownContents& known, const RangeSet& fresh);

/// "Nothing was touched.", or what was all the same although no byte of `memory` was.
std::string untouchedText(const Claims& claims, const std::string& memory);

}  // namespace imprimo::run
