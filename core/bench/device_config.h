// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <optional>

#include "core/configure/procedure.h"
#include "core/image/pieces.h"
#include "core/sheet/sheet.h"

namespace imprimo::bench {

/// How a part of a sheet is configured, and how it tells how it is.
struct DeviceConfig {
  configure::Target target;
  std::shared_ptr<const bsdl::BoundaryDescription> description;
  std::vector<bsdl::Pattern> idcodes;
  std::optional<configure::ConfigCard> card;

  /// Whether files go in by the card's steps; otherwise as IEEE 1532 has it, if at all.
  bool byCard() const { return card && !card->configure.empty(); }
  bool canConfigure() const { return byCard() || (description && description->isc); }
  const configure::ConfigCard* cardOrNull() const { return card ? &*card : nullptr; }
  bool highBitFirst() const { return !card || card->highBitFirst; }
};
using DeviceConfigPtr = std::shared_ptr<const DeviceConfig>;

/// Finds the text of a configuration card for a device that the sheet names none for: entity in, file name and text
/// out.
using ConfigCardFinder = std::function<std::optional<std::pair<std::string, std::string>>(const std::string& entity)>;

/// Throws BadFile for a card that cannot be read, Usage for a device without a description.
DeviceConfigPtr deviceConfig(const sheet::Sheet& sheet, std::size_t position, const ConfigCardFinder& find = {});

/// The sheet's position of a device. Throws Usage naming the devices that there are.
std::size_t positionOf(const sheet::Sheet& sheet, const std::string& name);

/// The user code that a device will have when it starts from a memory with these pieces, where its card says where in a
/// bitstream that stands; the lowest bitstream counts.
std::optional<std::uint32_t> plannedUsercode(const DeviceConfig& config, const std::vector<Piece>& pieces);

/// The user code that a bitstream's header has, where the card says where; otherwise the one that the file has itself.
std::optional<std::uint32_t> usercodeIn(const DeviceConfig& config, const configure::ConfigData& data);
/// How many bits of a file one scan takes, where all take as many; 0 otherwise.
std::uint64_t rowBitsOf(const bsdl::IscDescription& isc);

/// A device as it was found to be, for people and programs.
struct DeviceReport {
  struct Bit {
    std::uint32_t number = 0;
    std::string name;
    bool set = false, trouble = false;
  };
  std::string name;
  std::optional<std::uint32_t> usercode;
  std::optional<bool> runs;
  std::vector<Bit> bits;  ///< of its status, those that have names
  std::string text;       ///< all of that in a sentence
};
DeviceReport reportOf(const DeviceConfig& config, const configure::DeviceState& state);

}  // namespace imprimo::bench
