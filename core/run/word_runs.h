// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/cores/core_words.h"
#include "core/run/runner.h"

namespace imprimo::run {

/// What is wanted of one core's configuration words.
struct WordsWanted {
  std::string core;
  std::vector<sheet::WordWish> wishes{};  ///< a word, or one of its fields; a later one of the same bits wins
  bool restart = false;                   ///< the core runs afterwards; otherwise it stands at its first instruction
  bool hear = false;                      ///< with `restart`: until it says what the sheet waits for
  bool watch = false;                     ///< with `restart`: it is watched for a second
  bool permanent = false;                 ///< values that lock permanently may be written, whatever the wish says
  plan::Wanted::Earlier earlier = plan::Wanted::Earlier::Refuse;
};

/// What the sheet wants of a core's words and what comes after, with its restart. Throws Usage for what the card does
/// not have.
WordsWanted wordsWanted(const sheet::Sheet& sheet, const std::string& core);
/// The values of a copy of these words. Throws BadFile where it is of something else.
std::vector<sheet::WordWish> wishesOf(const debug::CoreCard& card, const MemoryImage& copy);
/// How a copy of a core's words is named in the store: "supervisor, configuration words".
std::string wordsName(const std::string& core);

/// The new values of the words that would change, by their indices in the card, with nothing for those that stay.
/// Throws Refused for a value that locks the chip permanently and is not named as such, and where a field's word is not
/// known; Usage for what the card does not have.
std::vector<std::optional<std::uint32_t>> changedWords(const debug::CoreCard& card, const WordsWanted& wanted,
                                                       const std::vector<bench::WordFound>& found);

/// Reads the words, writes those that are to be others, reads them back, resets the chip (or asks for its power to be
/// switched) so that they count, and reads them once more. What an earlier run left half written is put right first.
/// A run with a record, as run::carryOut; `onlyPlan`: ends before anything is changed.
RecordPtr writeWords(const WordsWanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
                     const std::stop_token& stop, bool onlyPlan = false);

/// A word of the core's bus, written by hand and read back.
struct Poke {
  std::string core;
  std::uint32_t at = 0, value = 0;
  std::uint32_t width = 4;  ///< bytes
};
RecordPtr pokeWord(const Poke& poke, bench::Bench& bench, RecordSink& records, RunObserver& observer,
                   const std::stop_token& stop);

}  // namespace imprimo::run
