// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/completion.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/input_file.h"
#include "core/probe/open_probe.h"
#include "ctl/json_out.h"

namespace imprimo::ctl {
namespace {

/// What was typed before the word in question, sorted out.
struct Typed {
  const CLI::App* command = nullptr;     ///< null before there is one
  std::vector<std::string> positionals;  ///< of the command
  const CLI::Option* waits = nullptr;    ///< an option whose value comes next
};

const CLI::Option* optionNamed(const CLI::App& app, const CLI::App* command, const std::string& name) {
  const CLI::Option* own = command != nullptr ? command->get_option_no_throw(name) : nullptr;
  return own != nullptr ? own : app.get_option_no_throw(name);
}

bool takesValue(const CLI::Option& option) {
  return option.get_items_expected_max() > 0;
}

Typed sortOut(const CLI::App& app, const std::vector<std::string>& before) {
  Typed typed;
  bool onlyWords = false;
  for (const std::string& word : before) {
    if (typed.waits != nullptr) {
      typed.waits = nullptr;
    } else if (!onlyWords && word == "--") {
      onlyWords = true;
    } else if (!onlyWords && word.starts_with("-") && word.size() > 1) {
      const CLI::Option* option = optionNamed(app, typed.command, word);
      if (option != nullptr && takesValue(*option)) typed.waits = option;
    } else if (typed.command == nullptr) {
      const auto named = app.get_subcommands([&](const CLI::App* each) { return each->get_name() == word; });
      if (named.empty()) break;  // a mistyped one
      typed.command = named.front();
    } else {
      typed.positionals.push_back(word);
    }
  }
  return typed;
}

void addOptions(Completions& to, const CLI::App& app) {
  for (const CLI::Option* option : app.get_options()) {
    for (const std::string& name : option->get_lnames()) to.words.push_back({"--" + name, option->get_description()});
    if (option->get_lnames().empty()) {
      for (const std::string& name : option->get_snames()) to.words.push_back({"-" + name, option->get_description()});
    }
  }
}

/// Words of "add, find, show or card; none: list": what stands before the semicolon, if all of it are small words.
std::vector<std::string> listedIn(const std::string& text) {
  std::vector<std::string> words;
  std::string word;
  for (const char c : text.substr(0, text.find(';')) + " ") {
    if ((c >= 'a' && c <= 'z') || c == '-') {
      word += c;
    } else if (c == ' ' || c == ',') {
      if (!word.empty() && word != "or") words.push_back(word);
      word.clear();
    } else {
      return {};
    }
  }
  return words;
}

/// Words of "next|ID" that are meant as they are.
std::vector<std::string> choicesIn(const std::string& type) {
  std::vector<std::string> words;
  if (type.find('|') == std::string::npos) return words;
  std::string word;
  for (const char c : type + "|") {
    if (c != '|') {
      word += c;
      continue;
    }
    if (std::all_of(word.begin(), word.end(), [](char l) { return (l >= 'a' && l <= 'z') || l == '-'; }))
      words.push_back(word);
    word.clear();
  }
  return words;
}

std::vector<std::string> endingsOf(const std::string& what) {
  if (what == "SHEET") return {"imprimo"};
  if (what == "RELEASE") return {"imprimo-release"};
  if (what == "FILE.svf") return {"svf"};
  if (what == "IMAGE" || what == "PIECE") return {"bin", "hex", "srec", "s19", "s28", "s37", "elf", "bit", "mcs"};
  return {};
}

/// Names that the sheet on the line has for what is asked for; whether it is a good sheet does not matter for that.
void addNames(Completions& to, const char* list, const Typed& typed) {
  if (typed.positionals.empty()) return;
  try {
    const Json sheet = Json::parse(readTextFile(typed.positionals.front()));
    for (const Json& each : sheet.at(list)) to.words.push_back({each.at("name").get<std::string>(), {}});
  } catch (const std::exception&) {
    // No sheet, no names.
  }
}

void addProbes(Completions& to, const probe::SystemRoot& system) {
  try {
    for (const probe::ProbeEntry& entry : probe::listProbes({}, system).probes)
      to.words.push_back({entry.address, fmt::format("{}, {}", entry.product, nameOf(entry.state))});
  } catch (const std::exception&) {
    // Without USB there are none.
  }
  for (const char* kind : {"tcp:", "mpsse-tcp:"}) to.words.push_back({kind, "HOST:PORT"});
}

void addValues(Completions& to, const CLI::Option& option, const Typed& typed, const probe::SystemRoot& system) {
  const std::string name = option.get_lnames().empty() ? option.get_name() : option.get_lnames().front();
  const bool isPositional = option.get_positional();
  const std::string type = option.get_type_name();
  const std::string what = isPositional ? name : type;
  std::vector<std::string> words = choicesIn(type);
  if (words.empty() && isPositional && name == "ACTION") words = listedIn(option.get_description());
  for (const std::string& word : words) to.words.push_back({word, {}});
  if (!words.empty()) return;
  if (!isPositional && name == "probe") return addProbes(to, system);
  if (what == "MEMORY") return addNames(to, "memories", typed);
  if (what == "DEVICE") return addNames(to, "chain", typed);
  if (what == "CORE" || (!isPositional && name == "core")) return addNames(to, "cores", typed);
  to.folders = type == "DIR";
  to.endings = endingsOf(what == "FILE" && !type.empty() ? type : what);
  static const char* const kFiles[] = {"FILE", "FILE.svf", "SHEET", "RELEASE", "IMAGE", "PIECE",
                                       "OUT",  "PACK",     "OTHER", "WHAT",    "F",     "SOURCE"};
  to.files = !to.folders && std::find(std::begin(kFiles), std::end(kFiles), what) != std::end(kFiles);
}

}  // namespace

Completions completionsFor(const CLI::App& app, const std::vector<std::string>& words,
                           const probe::SystemRoot& system) {
  Completions all;
  const std::string now = words.empty() ? std::string() : words.back();
  const Typed typed = sortOut(app, words.empty() ? words : std::vector<std::string>(words.begin(), words.end() - 1));
  if (typed.waits != nullptr) {
    addValues(all, *typed.waits, typed, system);
  } else if (now.starts_with("-")) {
    if (typed.command != nullptr) addOptions(all, *typed.command);
    addOptions(all, app);
  } else if (typed.command == nullptr) {
    for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
      all.words.push_back({command->get_name(), command->get_description()});
  } else {
    std::vector<const CLI::Option*> places;
    for (const CLI::Option* option : typed.command->get_options()) {
      if (option->get_positional()) places.push_back(option);
    }
    // The last of them may take several.
    const std::size_t at = typed.positionals.size();
    const bool goesOn = !places.empty() && places.back()->get_items_expected_max() > 1;
    if (at < places.size()) {
      addValues(all, *places[at], typed, system);
    } else if (goesOn) {
      addValues(all, *places.back(), typed, system);
    }
  }
  std::erase_if(all.words, [&](const Completions::Word& word) { return !word.text.starts_with(now); });
  return all;
}

std::string completionLines(const Completions& completions) {
  std::string lines;
  for (const Completions::Word& word : completions.words) lines += fmt::format("{}\t{}\n", word.text, word.what);
  if (completions.folders) lines += ":folders\n";
  if (completions.files) lines += fmt::format(":files {}\n", fmt::join(completions.endings, " "));
  return lines;
}

}  // namespace imprimo::ctl
