// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/bench/cores/core_words.h"
#include "core/run/runner.h"

namespace imprimo::run {

/// What earlier runs on a core's configuration words left to do.
struct EarlierWords {
  std::vector<RunNote> notes;
  std::map<std::size_t, std::uint32_t> values;  ///< words that were left half written or erased, and what they held
  MemoryImage others;                           ///< what else was erased with them
  std::string text;                             ///< for people; empty where there is nothing
  /// The words as they will be.
  std::vector<bench::WordFound> asPutRight(std::vector<bench::WordFound> found) const;
  MemoryImage othersIn(const std::vector<AddressRange>& ranges) const;
};

/// What a copy of a core's words is of.
memory::CopyOf wordsCopy(bench::Bench& bench, bench::BenchCore& core);

/// Looks for notes of runs that did not end. Throws UnfinishedWork where there is something to put right, and it cannot
/// be known whether this is the board that it was on.
EarlierWords findEarlier(bench::Bench& bench, bench::BenchCore& core, const std::vector<bench::WordFound>& found,
                         plan::Wanted::Earlier choice, const RunSeams& seams);
/// Throws CannotWrite.
void closeEarlier(const EarlierWords& earlier, const RunSeams& seams);

/// A note of what is about to be written over; what can be known of the board again is read for it.
RunNote noteFor(bench::Bench& bench, bench::BenchCore& core, const std::vector<bench::WordUnit>& units,
                const Record& record);

/// Whether what else lives in a unit is as it was, and only its words are others.
bool othersHold(const bench::WordUnit& unit, const MemoryImage& now, const MemoryImage& before,
                const std::vector<debug::ConfigWord>& words);

}  // namespace imprimo::run
