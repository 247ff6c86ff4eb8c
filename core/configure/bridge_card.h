// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "core/bsdl/boundary_description.h"

namespace imprimo::configure {

/// An image that makes a device a bridge, and for which device (docs/formats/bridge-card.md).
struct BridgeCard {
  std::string name;
  bsdl::Pattern idcode;
  std::string instruction;  ///< its BSDL name: what then leads to the bridge
  std::string image;        ///< relative to the card
  std::filesystem::path path;

  std::filesystem::path imagePath() const { return path.parent_path() / image; }
};

/// Throws BadFile with the key's path and line.
BridgeCard parseBridgeCard(std::string_view text, const std::filesystem::path& path);
BridgeCard readBridgeCard(const std::filesystem::path& path);

}  // namespace imprimo::configure
