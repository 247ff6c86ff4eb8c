// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/pin_label.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/letter_case.h"
#include "core/sheet/sheet.h"

namespace imprimo::sheet {
PinLabel readPinLabel(const JsonNode& node, const std::string& device) {
  PinLabel label;
  label.device = device;
  label.port = node["port"].string();
  if (node.has("name")) label.name = node["name"].string();
  if (node.has("level")) {
    if (node["level"].number() > 1) node["level"].fail("should be 0 or 1");
    label.level = node["level"].number() != 0;
  }
  return label;
}

std::string portTrouble(const JsonNode& node, const Device& device) {
  const std::string port = node.string();
  if (!device.description || device.description->cells.empty()) return {};
  const auto& cells = device.description->cells;
  if (std::any_of(cells.begin(), cells.end(), [&](const bsdl::Cell& cell) { return sameButForCase(cell.port, port); }))
    return {};
  return fmt::format("{}: the boundary register of {} has no port {}", node.where(), device.name, port);
}

}  // namespace imprimo::sheet
