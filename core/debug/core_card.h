// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/debug/config_words.h"
#include "core/debug/core_lock.h"
#include "core/debug/flash_algorithm.h"

namespace imprimo::debug {

/// A word on the bus by which a chip is known.
struct IdentityWord {
  std::uint32_t at = 0, mask = 0xFFFFFFFF, value = 0;
};

/// A part of the address space that holds bytes.
struct CoreRegion {
  std::string name;
  bool flash = false;  ///< otherwise RAM
  AddressRange range;
  std::string algorithm{};                     ///< of flash: the ELF's file, relative to the card or in its pack
  bool work = false;                           ///< algorithms run here
  std::function<FlashAlgorithm()> reads{};     ///< the algorithm, where it is no file beside the card
  std::optional<AddressRange> algorithmRam{};  ///< where it runs, if not in the card's work RAM
};

/// What instrumentation trace takes to get to its pin.
struct CoreTrace {
  std::vector<ChipStep> steps;  ///< that make the pin SWO
  std::uint32_t clock = 0;      ///< of trace, in Hz; 0: not known
};

/// What is known of a chip with a core without asking it (docs/formats/core-card.md).
struct CoreCard {
  std::string name;
  std::filesystem::path path;
  std::vector<IdentityWord> identity;
  std::vector<CoreRegion> regions;
  std::optional<std::uint32_t> accessPort{};  ///< that leads to the core: its number, or base address
  CoreLock lock{};                            ///< empty where nothing is known of one
  std::vector<ConfigWord> words{};            ///< configuration words, in the card's order
  CoreTrace trace{};
  bool fromPack = false;  ///< a pack describes it

  /// Throws Usage naming those that there are.
  const CoreRegion& region(const std::string& name) const;
  const ConfigWord& word(const std::string& name) const;
  /// Where algorithms run: the RAM that says so, or else the largest. Throws BadFile where there is none.
  AddressRange workRam() const;
  /// The same for the algorithm of one flash region.
  AddressRange workRam(const CoreRegion& region) const;
  /// Reads a flash region's algorithm and checks that it covers the region and fits into the work RAM. Throws BadFile.
  FlashAlgorithm algorithmOf(const CoreRegion& region) const;
};

/// Throws BadFile with file and line.
CoreCard readCoreCard(const std::filesystem::path& path);
CoreCard parseCoreCard(std::string_view text, const std::filesystem::path& path);
/// Puts what the card says in the place of the same of `card`, and may leave out what that has. Throws BadFile.
void readCoreCardOver(CoreCard& card, const std::filesystem::path& path);
/// A card with this name, identity and these regions, whose algorithms are files beside it.
std::string coreCardText(const CoreCard& card);

}  // namespace imprimo::debug
