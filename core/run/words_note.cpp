// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/words_note.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/debug/bus_words.h"
#include "core/run/word_runs.h"

namespace imprimo::run {
namespace {

using bench::WordFound;
using debug::ConfigWord;

std::uint32_t valueIn(const MemoryImage& image, const AddressRange& range) {
  return debug::wordOf(image.bytes(range));
}

/// What a copy says of a word, where it is whole in it.
std::optional<std::uint32_t> wholeIn(const MemoryImage& image, const ConfigWord& word) {
  if (!image.covers(word.range())) return std::nullopt;
  const std::uint32_t value = valueIn(image, word.range());
  if (!word.complementAt) return value;
  if (!image.covers(word.partner()) || valueIn(image, word.partner()) != word.complementOf(value)) return std::nullopt;
  return value;
}

/// What lives in a unit beside its words.
std::vector<AddressRange> othersOf(const bench::WordUnit& unit, const std::vector<ConfigWord>& words) {
  RangeSet others(unit.ranges);
  for (const std::size_t i : unit.words) {
    others.remove(words[i].range());
    others.remove(words[i].partner());
  }
  return others.ranges();
}

/// The ends of a core's flash, where firmware and what a unit is known by usually are.
std::vector<RunNote::Witness> witnesses(bench::BenchCore& core) {
  constexpr std::uint64_t kEach = 32768;
  std::vector<RunNote::Witness> all;
  for (const debug::CoreRegion& region : core.card().regions) {
    const bool holdsWords = std::any_of(core.card().words.begin(), core.card().words.end(),
                                        [&](const ConfigWord& word) { return region.range.overlaps(word.range()); });
    if (!region.flash || holdsWords) continue;
    const std::uint64_t some = std::min(kEach, region.range.size());
    for (const AddressRange& range : {AddressRange{region.range.begin, region.range.begin + some},
                                      AddressRange{region.range.end - some, region.range.end}}) {
      Bytes bytes(range.size());
      core.bus().read(static_cast<std::uint32_t>(range.begin), bytes);
      if (std::any_of(bytes.begin(), bytes.end(), [](std::uint8_t b) { return b != kBlankByte; }))
        all.push_back({range, crc32Of(bytes)});
    }
  }
  return all;
}

bool isTheBoard(const RunNote& note, bench::BenchCore& core) {
  for (const RunNote::Witness& witness : note.witnesses) {
    Bytes bytes(witness.range.size());
    core.bus().read(static_cast<std::uint32_t>(witness.range.begin), bytes);
    if (crc32Of(bytes) != witness.crc) return false;
  }
  return !note.witnesses.empty();
}

}  // namespace

std::vector<WordFound> EarlierWords::asPutRight(std::vector<WordFound> found) const {
  for (const auto& [i, value] : values) found[i] = {WordFound::State::Whole, value, 0};
  return found;
}

MemoryImage EarlierWords::othersIn(const std::vector<AddressRange>& ranges) const {
  MemoryImage image;
  for (const AddressRange& range : ranges) {
    for (const MemoryImage::Segment& segment : others.segmentsIn(range)) image.write(segment.begin, segment.bytes);
  }
  return image;
}

memory::CopyOf wordsCopy(bench::Bench& bench, bench::BenchCore& core) {
  memory::CopyOf of;
  of.memory = wordsName(core.name());
  of.sheet = bench.sheet().title;
  of.identity = hexIdcode(core.core().cpuid());
  of.size = std::uint64_t{1} << 32;
  return of;
}

EarlierWords findEarlier(bench::Bench& bench, bench::BenchCore& core, const std::vector<WordFound>& found,
                         plan::Wanted::Earlier choice, const RunSeams& seams) {
  EarlierWords earlier;
  const memory::CopyOf now = wordsCopy(bench, core);
  const std::vector<ConfigWord>& words = core.card().words;
  for (RunNote& note : seams.notes.open()) {
    if (note.of.memory != now.memory || note.of.sheet != now.sheet || note.of.identity != now.identity ||
        stillRuns(note.process))
      continue;
    earlier.notes.push_back(note);
    if (choice == plan::Wanted::Earlier::Forget || note.copy.empty()) continue;
    const MemoryImage old = seams.backups.contents(note.copy);
    std::map<std::size_t, std::uint32_t> values;
    MemoryImage others;
    for (std::size_t i = 0; i < words.size(); ++i) {
      const auto value = wholeIn(old, words[i]);
      // Of one without a complement, that it is erased is all that can be seen.
      const bool erased = !words[i].complementAt && value != words[i].mask() && found[i].value == words[i].mask();
      if (value && (found[i].state != WordFound::State::Whole || erased)) values[i] = *value;
    }
    for (const AddressRange& range : note.others) {
      Bytes held(range.size());
      core.bus().read(static_cast<std::uint32_t>(range.begin), held);
      for (std::uint64_t i = 0; i < range.size(); ++i) {
        const auto was = old.at(range.begin + i);
        if (held[i] == kBlankByte && was && *was != kBlankByte) others.write(range.begin + i, ByteSpan(&*was, 1));
      }
    }
    if (values.empty() && others.empty()) continue;
    if (choice == plan::Wanted::Earlier::Refuse && !isTheBoard(note, core))
      throw UnfinishedWork(fmt::format(
          "a run that began {} did not end, and left configuration words of {} half written", note.begun, core.name()));
    std::string names;
    for (const auto& [i, value] : values) {
      names += fmt::format("{}{} was {}", names.empty() ? "" : ", ", words[i].name, words[i].hex(value));
      earlier.values.try_emplace(i, value);  // the oldest copy is of what was there before all of them
    }
    others.write(earlier.others);
    earlier.others = std::move(others);
    earlier.text += fmt::format("{}a run that began {} did not end; {}", earlier.text.empty() ? "" : "; ", note.begun,
                                names.empty() ? "what it erased is restored" : names);
  }
  return earlier;
}

void closeEarlier(const EarlierWords& earlier, const RunSeams& seams) {
  for (const RunNote& note : earlier.notes) seams.notes.close(note);
}

RunNote noteFor(bench::Bench& bench, bench::BenchCore& core, const std::vector<bench::WordUnit>& units,
                const Record& record) {
  RunNote note;
  note.begun = record.startedAt;
  note.of = wordsCopy(bench, core);
  note.sheetFile = record.sheet;
  note.process = thisProcess();
  note.copy = record.backup.filename().string();
  for (const bench::WordUnit& unit : units) {
    note.blocks.insert(note.blocks.end(), unit.ranges.begin(), unit.ranges.end());
    const std::vector<AddressRange> others = othersOf(unit, core.card().words);
    note.others.insert(note.others.end(), others.begin(), others.end());
  }
  note.witnesses = witnesses(core);
  return note;
}

bool othersHold(const bench::WordUnit& unit, const MemoryImage& now, const MemoryImage& before,
                const std::vector<ConfigWord>& words) {
  const std::vector<AddressRange> others = othersOf(unit, words);
  return std::all_of(others.begin(), others.end(),
                     [&](const AddressRange& range) { return now.bytes(range) == before.bytes(range); });
}

}  // namespace imprimo::run
