// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/probe/probe_list.h"

namespace CLI {
class App;
}  // namespace CLI

namespace imprimo::ctl {

/// What can stand where a command line is being typed.
struct Completions {
  struct Word {
    std::string text, what;  ///< the word, and what it is in a few words
  };
  std::vector<Word> words;
  bool folders = false;
  bool files = false;
  std::vector<std::string> endings;  ///< of files: "svf"; none: any
};

/// `words` is what was typed behind the program's name, and the last of them is what is being typed, which may be
/// empty. What is plugged in and what a sheet on the line has is looked up; what cannot be read has no words, and
/// nothing is thrown.
Completions completionsFor(const CLI::App& app, const std::vector<std::string>& words, const probe::SystemRoot& system);

/// The same for a shell, a line each: "WORD<tab>WHAT", ":folders", or ":files" with the endings behind it.
std::string completionLines(const Completions& completions);

}  // namespace imprimo::ctl
