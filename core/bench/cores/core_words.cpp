// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_words.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/bench/cores/core_flash.h"
#include "core/debug/bus_words.h"

namespace imprimo::bench {

std::string foundText(const debug::ConfigWord& word, const WordFound& found) {
  switch (found.state) {
    case WordFound::State::Whole:
      return word.hex(found.value);
    case WordFound::State::Blank:
      return "erased";
    case WordFound::State::Torn:
      return fmt::format("{} (half written: its complement is {})", word.hex(found.value), word.hex(found.complement));
    case WordFound::State::Unread:
      return word.hasCheckBits ? "unreadable (half written: its check bits do not match)" : "unreadable (bus error)";
  }
  return {};
}

std::optional<std::uint32_t> CoreWords::bits(const debug::ConfigWord& word, std::uint32_t at) {
  Bytes bytes(word.bytes());
  try {
    core_.bus().readEach(at, bytes, word.bytes());
  } catch (const debug::BusFault&) {
    return std::nullopt;
  }
  return debug::wordOf(bytes);
}

WordFound CoreWords::readOne(const debug::ConfigWord& word) {
  using State = WordFound::State;
  const auto value = bits(word, word.at);
  const auto complement = word.complementAt ? bits(word, *word.complementAt) : std::optional<std::uint32_t>(0);
  if (!value || !complement) return {State::Unread, value.value_or(0), complement.value_or(0)};
  if (!word.complementAt) return {State::Whole, *value, 0};
  const bool blank = *value == word.mask() && *complement == word.mask();
  return {blank ? State::Blank : (*complement == word.complementOf(*value) ? State::Whole : State::Torn), *value,
          *complement};
}

std::vector<WordFound> CoreWords::read() {
  core_.requireIdentity();
  std::vector<WordFound> all;
  for (const debug::ConfigWord& word : words()) all.push_back(readOne(word));
  return all;
}

std::shared_ptr<const debug::FlashAlgorithm> CoreWords::algorithmOf(const std::string& region) {
  if (!algorithm_ || read_ != region) {
    algorithm_ = std::make_shared<const debug::FlashAlgorithm>(core_.card().algorithmOf(core_.card().region(region)));
    read_ = region;
  }
  return algorithm_;
}

std::vector<WordUnit> CoreWords::unitsOf(const std::vector<std::size_t>& changed) {
  std::vector<WordUnit> units;
  for (const std::size_t i : changed) {
    const debug::ConfigWord& word = words()[i];
    std::vector<AddressRange> own{word.range()};
    if (word.complementAt) own.push_back(word.partner());
    if (word.region.empty()) {
      units.push_back({{}, own, {i}});
      continue;
    }
    const memory::Geometry geometry = geometryOf(*algorithmOf(word.region), core_.card().region(word.region));
    RangeSet sectors;
    for (const AddressRange& range : own) sectors.add(geometry.roundedToBlocks(range));
    const auto same = std::find_if(units.begin(), units.end(), [&](const WordUnit& unit) {
      return unit.region == word.region && RangeSet(unit.ranges).contains(sectors.ranges().front());
    });
    if (same == units.end()) {
      units.push_back({word.region, sectors.ranges(), {i}});
    } else {
      for (const AddressRange& range : same->ranges) sectors.add(range);
      same->ranges = sectors.ranges();
      same->words.push_back(i);
    }
  }
  return units;
}

MemoryImage CoreWords::contents(const WordUnit& unit) {
  MemoryImage image;
  for (const AddressRange& range : unit.ranges) {
    Bytes bytes(range.size());
    core_.bus().read(static_cast<std::uint32_t>(range.begin), bytes);
    image.write(range.begin, bytes);
  }
  return image;
}

void CoreWords::put(MemoryImage& image, const debug::ConfigWord& word, std::uint32_t value) {
  image.write(word.at, debug::bytesOfWord(value, word.bytes()));
  if (word.complementAt) image.write(*word.complementAt, debug::bytesOfWord(word.complementOf(value), word.bytes()));
}

void CoreWords::write(const WordUnit& unit, const MemoryImage& contents, const std::vector<std::uint32_t>& values,
                      const std::stop_token& stop) {
  if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped");
  core_.requireMayHalt();
  core_.core().halt();
  core_.noteChanged();
  if (unit.region.empty()) {
    const debug::ConfigWord& word = words()[unit.words.front()];
    const std::uint32_t value = values[unit.words.front()];
    for (const debug::WordStep& each : word.steps) {
      using Takes = debug::WordStep::Takes;
      if (each.takes == Takes::Value || !each.step.word.onBus) {
        debug::ChipStep step = each.step;
        if (each.takes != Takes::Value) step.word.value = each.takes == Takes::Word ? value : word.complementOf(value);
        core_.carryOut(step, {});
      } else {
        const std::uint32_t written = each.takes == Takes::Word ? value : word.complementOf(value);
        core_.bus().writeEach(each.step.word.at, debug::bytesOfWord(written, word.bytes()), word.bytes());
      }
    }
    return;
  }
  const debug::CoreRegion& region = core_.card().region(unit.region);
  const auto algorithm = algorithmOf(unit.region);
  const memory::Geometry geometry = geometryOf(*algorithm, region);
  debug::AlgorithmRun& run = core_.running(algorithm, core_.card().workRam(region));
  std::vector<debug::AlgorithmRun::Job> sectors, pages;
  for (const AddressRange& range : unit.ranges) {
    for (std::uint64_t at = range.begin; at < range.end; at = geometry.blockAt(at).end)
      sectors.push_back({static_cast<std::uint32_t>(at), {}});
    for (std::uint64_t at = range.begin; at < range.end; at += geometry.page) {
      Bytes bytes = contents.bytes({at, at + geometry.page});
      const bool blank = std::all_of(bytes.begin(), bytes.end(), [](std::uint8_t b) { return b == kBlankByte; });
      if (!blank) pages.push_back({static_cast<std::uint32_t>(at), std::move(bytes)});
    }
  }
  // Once begun it is carried to its end: half of it is what nobody wants.
  const auto always = [](std::size_t) { return true; };
  run.erase(sectors, always);
  run.program(pages, always);
  core_.endAlgorithm();
}

}  // namespace imprimo::bench
