// SPDX-License-Identifier: GPL-3.0-or-later
//
// A core's configuration words: what they hold, field by field, and what they should.
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/run/word_runs.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

struct WordsOptions : RunOptions {
  std::vector<std::string> sets;
  std::string restore;
  bool fromSheet = false, permanent = false;
  bool writes() const { return !sets.empty() || !restore.empty() || fromSheet; }
};

void addOptions(OptionList& own, WordsOptions& options) {
  addSheet(own, options.sheet);
  own.option("CORE", options.core, "the core; can be left out where there is one");
  own.option("--set", options.sets, "write: WORD=VALUE or WORD[FIELD]=VALUE; can be repeated")
      .typeName("SETTING")
      .oneEach();
  own.flag("--from-sheet", options.fromSheet, "write the values of the sheet");
  own.option("--restore", options.restore, "restore from a copy: its file, as 'copies' lists it, or newest")
      .typeName("COPY");
  own.flag("--permanent", options.permanent, "also write values that lock the chip permanently");
  addEarlier(own, options);
  addDryRun(own, options);
}

sheet::WordWish wishOf(const std::string& text) {
  const std::size_t equals = text.rfind('=');
  const auto value = equals == std::string::npos ? std::nullopt : parseNumber(text.substr(equals + 1));
  sheet::WordWish wish;
  wish.word = text.substr(0, std::min(equals, text.size()));
  const std::size_t bracket = wish.word.find('[');
  const bool closed = bracket == std::string::npos || wish.word.ends_with(']');
  if (!value || *value > UINT32_MAX || !closed)
    throw Error(ErrorKind::Usage, fmt::format("--set takes WORD=VALUE or WORD[FIELD]=VALUE, not '{}'", text),
                "For example --set \"access=0xFF\" or --set \"access[debug]=0xFF\".");
  if (bracket != std::string::npos) {
    wish.field = wish.word.substr(bracket + 1, wish.word.size() - bracket - 2);
    wish.word.resize(bracket);
  }
  wish.value = static_cast<std::uint32_t>(*value);
  return wish;
}

std::vector<sheet::WordWish> fromCopy(const std::string& which, const sheet::Sheet& sheet, const std::string& core,
                                      const debug::CoreCard& card) {
  const store::CopyStore store = store::userCopies();
  if (which != "newest") {
    const run::StoredCopy copy = store.find(which);
    if (copy.of.memory != run::wordsName(core))
      throw Error(ErrorKind::Usage, fmt::format("{} is a copy of {}", which, copy.of.memory),
                  "Name one of the configuration words of this core.");
    return run::wishesOf(card, store.contents(copy));
  }
  for (const run::StoredCopy& copy : store.list()) {
    if (copy.of.memory == run::wordsName(core) && copy.of.sheet == sheet.title && !copy.of.unfinished)
      return run::wishesOf(card, store.contents(copy));
  }
  throw Error(ErrorKind::Usage, fmt::format("there is no copy of the configuration words of {}", core),
              "One is saved whenever they are written.");
}

Json wordJson(const debug::ConfigWord& word, const bench::WordFound& found) {
  using State = bench::WordFound::State;
  const char* const state = found.state == State::Whole   ? "whole"
                            : found.state == State::Blank ? "erased"
                            : found.state == State::Torn  ? "half-written"
                                                          : "unreadable";
  Json json = {{"name", word.name}, {"at", hexAddress(word.at)}, {"state", state}};
  if (found.state != State::Unread) json["value"] = word.hex(found.value);
  if (word.factory) json["factory"] = word.hex(*word.factory);
  json["fields"] = Json::array();
  for (const debug::WordField& field : word.fields) {
    Json each = {{"name", field.name}, {"high", field.high}, {"low", field.low}};
    if (found.certain()) {
      each["value"] = field.of(found.value);
      if (const debug::FieldValue* meaning = field.meaning(field.of(found.value))) each["means"] = meaning->means;
    }
    json["fields"].push_back(std::move(each));
  }
  return json;
}

void tellWord(const Context& context, const debug::ConfigWord& word, const bench::WordFound& found) {
  context.out << fmt::format("{}: {}, at {}{}\n", word.name, bench::foundText(word, found), hexAddress(word.at),
                             word.factory ? ", " + word.hex(*word.factory) + " as delivered" : "");
  if (!found.certain()) return;
  for (const debug::WordField& field : word.fields) {
    const std::uint32_t value = field.of(found.value);
    const debug::FieldValue* meaning = field.meaning(value);
    context.out << fmt::format(
        "  {:>6}  {:<20} {:<10} {}\n",
        field.high == field.low ? std::to_string(field.low) : fmt::format("{}..{}", field.high, field.low), field.name,
        fmt::format("0x{:X}", value), meaning != nullptr ? meaning->means : field.what);
  }
}

int runWords(const WordsOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneCore(options, sheet);
  const debug::CoreCard card = bench::cardOf(sheet, sheet.core(name));
  if (card.words.empty())
    throw Error(ErrorKind::Usage, fmt::format("no configuration words of {} are known", name),
                "Its core card describes them (\"words\").");
  run::WordsWanted wanted = run::wordsWanted(sheet, name);
  if (!options.fromSheet) wanted.wishes.clear();
  if (!options.restore.empty()) {
    const auto wishes = fromCopy(options.restore, sheet, name, card);
    wanted.wishes.insert(wanted.wishes.end(), wishes.begin(), wishes.end());
  }
  for (const std::string& text : options.sets) wanted.wishes.push_back(wishOf(text));
  wanted.permanent = options.permanent;
  wanted.earlier = earlierWork(options);
  wanted.watch = false;
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, options.wait ? options.wait : sheet.waitSeconds);
  if (options.writes()) {
    records::StoreSeams seams(context.store);
    const auto observer = terminalObserver(options, context);
    return finish(*run::writeWords(wanted, *bench, seams.all, *observer, context.stop, options.dryRun), options,
                  context);
  }
  bench->checkChain();
  bench::CoreWords words(bench->core(name));
  const std::vector<bench::WordFound> found = words.read();
  if (options.json) {
    Json list = Json::array();
    for (std::size_t i = 0; i < found.size(); ++i) list.push_back(wordJson(card.words[i], found[i]));
    print(context, {{"words", std::move(list)}});
  } else {
    for (std::size_t i = 0; i < found.size(); ++i) tellWord(context, card.words[i], found[i]);
  }
  return 0;
}

}  // namespace

CommandRow wordsCommand() {
  return commandRow<WordsOptions>("words", "a core's configuration words, field by field", addOptions, runWords);
}

}  // namespace imprimo::ctl
