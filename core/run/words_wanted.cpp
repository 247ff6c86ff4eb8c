// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is wanted of configuration words: by the sheet, by a copy, and which of them would change.
#include <fmt/format.h>

#include "core/debug/bus_words.h"
#include "core/run/word_runs.h"

namespace imprimo::run {

std::string wordsName(const std::string& core) {
  return core + ", configuration words";
}

WordsWanted wordsWanted(const sheet::Sheet& sheet, const std::string& core) {
  const sheet::CoreEntry& entry = sheet.core(core);
  WordsWanted wanted;
  wanted.core = core;
  wanted.wishes = entry.words;
  wanted.restart = wanted.watch = sheet.restartAfter;
  wanted.hear = wanted.restart && !entry.console.waitFor.empty();
  const debug::CoreCard card = bench::cardOf(sheet, entry);
  for (const sheet::WordWish& wish : wanted.wishes) {
    const debug::ConfigWord& word = card.word(wish.word);
    if (wish.field) word.field(*wish.field);
  }
  return wanted;
}

std::vector<sheet::WordWish> wishesOf(const debug::CoreCard& card, const MemoryImage& copy) {
  std::vector<sheet::WordWish> wishes;
  for (const debug::ConfigWord& word : card.words) {
    if (!copy.covers(word.range())) continue;
    wishes.push_back({word.name, {}, debug::wordOf(copy.bytes(word.range())), false});
  }
  if (wishes.empty())
    throw Error(ErrorKind::BadFile, fmt::format("the copy holds no configuration word of {}", card.name));
  return wishes;
}

std::vector<std::optional<std::uint32_t>> changedWords(const debug::CoreCard& card, const WordsWanted& wanted,
                                                       const std::vector<bench::WordFound>& found) {
  std::vector<std::optional<std::uint32_t>> values(card.words.size());
  bool named = wanted.permanent;
  std::vector<bool> namedEach(card.words.size(), false);
  for (const sheet::WordWish& wish : wanted.wishes) {
    const auto at = static_cast<std::size_t>(&card.word(wish.word) - card.words.data());
    const debug::ConfigWord& word = card.words[at];
    std::uint32_t value = wish.value;
    const debug::WordField* field = wish.field ? &word.field(*wish.field) : nullptr;
    if (value > (field != nullptr ? field->most() : word.mask()))
      throw Error(ErrorKind::Usage, fmt::format("0x{:X} does not fit into {} of {}", value,
                                                field != nullptr ? field->name : "the word", word.name));
    if (field != nullptr) {
      if (!values[at] && !found[at].certain())
        throw Error(ErrorKind::Refused,
                    fmt::format("{} is {}, so that its other fields are not known", word.name,
                                bench::foundText(word, found[at])),
                    "Give the whole word.");
      value = field->in(values[at].value_or(found[at].value), value);
    }
    values[at] = value;
    namedEach[at] = namedEach[at] || wish.permanent;
  }
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (!values[i]) continue;
    const bool same = found[i].certain() && found[i].value == *values[i] &&
                      (found[i].state == bench::WordFound::State::Whole || *values[i] == card.words[i].factory);
    if (same) {
      values[i].reset();
      continue;
    }
    const debug::WordHarm harm = debug::harmOf(card.words[i], *values[i]);
    if (harm.harm != debug::Harm::Permanent || named || namedEach[i]) continue;
    throw Error(ErrorKind::Refused,
                fmt::format("{} = {} locks the chip permanently ({})", card.words[i].name,
                            card.words[i].hex(*values[i]), harm.why),
                "Nothing was written. Confirm that a permanent lock is intended.")
        .setHelp(Help::Permanent);
  }
  return values;
}

}  // namespace imprimo::run
