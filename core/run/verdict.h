// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/range_set.h"
#include "core/plan/planner.h"
#include "core/run/record.h"

namespace imprimo::run {

/// What a run comes to, and the sentences that say so.

Outcome outcomeOf(ErrorKind kind, bool changed);
Outcome outcomeOf(const plan::Wanted& wanted, const Record& record);

/// Whether the byte there is one that nobody may see.
bool isSecret(const plan::Wanted& wanted, std::uint64_t address);

/// A block that still holds data behind an erase command; says so as a guess where it looks protected.
Error notErased(const std::string& memory, const AddressRange& block, std::uint64_t address, std::uint8_t found,
                std::optional<std::uint8_t> before);

/// How far a run came: blocks erased, bytes written, and bytes in erased blocks that are still to be written.
struct Reached {
  RangeSet erased, written, unwritten;
  RangeSet uncertain;                ///< commands were on their way
  RangeSet pattern;                  ///< a trial's block, which holds a pattern or is blank
  std::vector<AddressRange> kept;    ///< what the sheet keeps
  std::vector<AddressRange> others;  ///< bytes that the run has to put back
};

/// The first byte that is not what was written, and what that looks like: did not change, did not erase, did not take.
Error notAsPlanned(const std::string& memory, const AddressRange& block, const Difference& first,
                   std::uint64_t differences, const MemoryImage& before, const MemoryImage& now,
                   const Reached& addressed);

/// The error, what the memory holds now, and where the copy is.
std::string failureMessage(const Error& error, const Record& record, const Reached& reached);
std::string successMessage(const plan::Wanted& wanted, const Record& record, const plan::Plan& plan,
                           const RangeSet& erased);

}  // namespace imprimo::run
