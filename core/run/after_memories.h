// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/word_runs.h"

namespace imprimo::run {

/// What a sheet wants of its cores after their memories were written, in the order in which it is done.
struct AfterMemories {
  std::vector<WordsWanted> words;      ///< a core each, with its restart where that is all there is to restart
  bool restart = false;                ///< the board is restarted, after the words
  std::vector<std::string> locks;      ///< cores that are locked at the end
  std::vector<std::string> notLocked;  ///< cores that should be, and have files for other memories

  bool empty() const { return words.empty() && locks.empty(); }
};

/// `whole`: all that the sheet has is written; otherwise only `memories` are, and only their cores are meant. Throws
/// BadFile, Usage and Refused for what a core's card does not have.
AfterMemories afterMemories(const sheet::Sheet& sheet, const std::vector<std::string>& memories, bool whole);

}  // namespace imprimo::run
