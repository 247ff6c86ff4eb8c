// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/bench/cores/cores.h"
#include "core/image/memory_image.h"

namespace imprimo::bench {

/// What is found where a configuration word is.
struct WordFound {
  enum class State : std::uint8_t {
    Whole,   ///< it fits its complement, or has none
    Blank,   ///< erased, with its complement
    Torn,    ///< it does not fit its complement: half written
    Unread,  ///< the bus answers with an error; of a word with check bits that it was half written
  };
  State state = State::Whole;
  std::uint32_t value = 0, complement = 0;  ///< where they could be read
  bool certain() const { return state == State::Whole || state == State::Blank; }
  friend bool operator==(const WordFound&, const WordFound&) = default;
};

/// "0x0000FF5A", "0x5A (half written: its complement is 0xFF)"
std::string foundText(const debug::ConfigWord& word, const WordFound& found);

/// Words that are written in one go: one by its steps, or all of a sector by the flash algorithm.
struct WordUnit {
  std::string region{};              ///< the algorithm's; empty for a word that is written by steps
  std::vector<AddressRange> ranges;  ///< that it writes: the sector, or the word and its complement
  std::vector<std::size_t> words{};  ///< indices into the card's, in order
};

/// The configuration words of a core that is connected to, halted where they are written.
class CoreWords {
 public:
  explicit CoreWords(BenchCore& core) : core_(core) {}
  const std::vector<debug::ConfigWord>& words() const { return core_.card().words; }
  /// All of them, in the card's order. Throws Refused where the core is locked, LinkLost.
  std::vector<WordFound> read();
  /// How the words of these indices are written.
  std::vector<WordUnit> unitsOf(const std::vector<std::size_t>& changed);
  /// The bytes of a unit. Throws BusFault, LinkLost.
  MemoryImage contents(const WordUnit& unit);
  /// Puts `contents`, which is all of the unit's, into it; `values` are those of its words by their indices in the
  /// card. Throws NotErased, NotProgrammed, Refused for a core that is only attached to, Stopped before it began.
  void write(const WordUnit& unit, const MemoryImage& contents, const std::vector<std::uint32_t>& values,
             const std::stop_token& stop);
  /// A word and its complement as they stand in memory.
  static void put(MemoryImage& image, const debug::ConfigWord& word, std::uint32_t value);

 private:
  WordFound readOne(const debug::ConfigWord& word);
  std::optional<std::uint32_t> bits(const debug::ConfigWord& word, std::uint32_t at);
  std::shared_ptr<const debug::FlashAlgorithm> algorithmOf(const std::string& region);

  BenchCore& core_;
  std::string read_;  ///< the region whose algorithm that is
  std::shared_ptr<const debug::FlashAlgorithm> algorithm_;
};

}  // namespace imprimo::bench
