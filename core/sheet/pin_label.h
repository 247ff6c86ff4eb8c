// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "core/base/json_text.h"

namespace imprimo::bsdl {
struct BoundaryDescription;
}

namespace imprimo::sheet {

struct Device;

/// What a port of a device is on this board, and the level that it should have.
struct PinLabel {
  std::string device, port;
  std::string name;           ///< empty: only its port
  std::optional<bool> level;  ///< nothing: any will do
  friend bool operator==(const PinLabel&, const PinLabel&) = default;
};

/// One entry of "pins", but for its device. Throws BadFile.
PinLabel readPinLabel(const JsonNode& node, const std::string& device);

/// Why a device has no such port, with the place in the file; empty where it has one, or where its description is not
/// known.
std::string portTrouble(const JsonNode& node, const Device& device);

}  // namespace imprimo::sheet
