// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/usage_sentence.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <string>

#include "core/base/number.h"

namespace imprimo::ctl {
namespace {

/// Letters to put in, take out, change or swap with the next, at least.
std::size_t distance(const std::string& a, const std::string& b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i) {
    for (std::size_t j = 0; j <= b.size(); ++j) {
      if (i == 0 || j == 0) {
        d[i][j] = i + j;
        continue;
      }
      d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1)});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  }
  return d[a.size()][b.size()];
}

/// The command that was given, or the program where none was.
const CLI::App& given(const CLI::App& app) {
  const auto commands = app.get_subcommands();
  return commands.empty() ? app : *commands.front();
}

std::vector<std::string> commandNames(const CLI::App& app) {
  std::vector<std::string> names;
  for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
    names.push_back(command->get_name());
  return names;
}

std::vector<std::string> optionNames(const CLI::App& app) {
  std::vector<std::string> names;
  for (const CLI::App* a : {&app, &given(app)}) {
    for (const CLI::Option* option : a->get_options()) {
      for (const std::string& name : option->get_lnames()) names.push_back("--" + name);
    }
  }
  return names;
}

std::string quoted(const std::string& word, const std::string& what, const std::vector<std::string>& known) {
  const auto near = nearestWord(word, known);
  return fmt::format("there is no {} '{}'{}", what, word, near ? fmt::format("; is '{}' meant?", *near) : "");
}

std::string unknownWord(const CLI::App& app, const std::string& word) {
  if (word.starts_with("-")) return quoted(word.substr(0, word.find('=')), "option", optionNames(app));
  if (&given(app) == &app) return quoted(word, "command", commandNames(app));
  return fmt::format("'{}' is one word too many for {}", word, given(app).get_name());
}

/// What stands in front of the colon in the library's text: an option's name.
std::string optionOf(const CLI::ParseError& error) {
  const std::string text = error.what();
  return text.substr(0, text.find(':'));
}

std::string missing(const CLI::App& app) {
  const CLI::App& command = given(app);
  if (&command == &app) return "a command is missing";
  for (const CLI::Option* option : command.get_options()) {
    if (option->get_required() && option->count() == 0)
      return fmt::format("{} needs {}", command.get_name(), option->get_name());
  }
  return fmt::format("{} needs more than that", command.get_name());
}

}  // namespace

std::optional<std::string> nearestWord(const std::string& typed, const std::vector<std::string>& known) {
  std::optional<std::string> nearest;
  std::size_t best = std::max<std::size_t>(typed.size() / 3, 1) + 1;
  for (const std::string& word : known) {
    if (const std::size_t d = distance(typed, word); d < best) {
      best = d;
      nearest = word;
    }
  }
  if (nearest || typed.size() < 2) return nearest;
  const auto begins = [&](const std::string& word) { return word.starts_with(typed); };
  if (std::count_if(known.begin(), known.end(), begins) == 1) return *std::find_if(known.begin(), known.end(), begins);
  return std::nullopt;
}

std::string usageSentence(const CLI::App& app, const CLI::ParseError& error) {
  const std::vector<std::string> unknown = app.remaining(true);
  if (!unknown.empty()) return unknownWord(app, unknown.front());
  if (dynamic_cast<const CLI::RequiredError*>(&error) != nullptr) return missing(app);
  if (dynamic_cast<const CLI::ArgumentMismatch*>(&error) != nullptr) {
    const std::string name = optionOf(error);
    return name.starts_with("-") ? fmt::format("{} needs a value", name)
                                 : fmt::format("{} takes another number of {}", given(app).get_name(), name);
  }
  // A check of ours wrote what follows the option's name.
  if (dynamic_cast<const CLI::ValidationError*>(&error) != nullptr) return error.what();
  return "this command line cannot be understood";
}

std::string takeWholeNumber(std::string& text, std::uint64_t least, std::uint64_t most) {
  // No suffixes: what is 1024-based elsewhere would not be so for a frequency.
  const bool plain = !text.empty() && text.find_first_of("KkMm") == std::string::npos;
  const auto value = plain ? parseNumber(text) : std::nullopt;
  if (!value || *value < least || *value > most)
    return fmt::format("takes a whole number from {} to {}, not '{}'", least, most, text);
  text = std::to_string(*value);
  return {};
}

}  // namespace imprimo::ctl
