// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace CLI {
class App;
class ParseError;
}  // namespace CLI

namespace imprimo::ctl {

/// What is wrong with a command line, in a sentence of ours: it names the word and, for a mistyped one, the nearest.
std::string usageSentence(const CLI::App& app, const CLI::ParseError& error);

/// The word of `known` that `typed` was most likely meant to be: at most a third of its letters differ, or it is the
/// only one that begins so.
std::optional<std::string> nearestWord(const std::string& typed, const std::vector<std::string>& known);

/// Makes an option's number from `least` to `most` ("20", "0x14") a decimal one, for CLI11; otherwise gives the
/// sentence that says what it takes.
std::string takeWholeNumber(std::string& text, std::uint64_t least, std::uint64_t most);

}  // namespace imprimo::ctl
