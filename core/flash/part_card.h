// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/flash/registers.h"

namespace imprimo::flash {

/// A memory's description written by a person (docs/formats/part-card.md).
struct PartCard {
  std::string name;
  FlashId id;
  memory::Geometry geometry;
  NorCommands commands{};
  std::vector<FlashRegister> registers{};
  std::optional<memory::Protection> protection{};
  std::optional<UniqueIdCommand> uniqueId{};
  std::optional<FlashFacts::DeepPowerDown> deepPowerDown{};
  bool tableIsWrong = false;  ///< what the part's own table says otherwise is no contradiction
};

/// Throws BadFile with the key's path and line.
PartCard parsePartCard(std::string_view text, const std::string& fileName);
PartCard readPartCard(const std::filesystem::path& path);

/// The card as JSON text, such that parsePartCard gives it back. With `indent` for people to read.
std::string partCardText(const PartCard& card, bool indent = false);

}  // namespace imprimo::flash
