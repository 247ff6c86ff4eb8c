// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/sheet/route_kinds.h"

namespace imprimo::sheet {

/// By boundary scan: ports of the device as its BSDL file names them.
class PinRoute : public Route {
 public:
  static constexpr const char* kVia = "pins";
  std::string cs, clk, mosi, miso;
  std::string wp, hold;              ///< driven high; empty: not connected to the device
  std::map<std::string, bool> held;  ///< other ports that keep a level

  const char* via() const override { return kVia; }
  std::string words() const override { return "via pins"; }
  std::shared_ptr<Route> clone() const override { return std::make_shared<PinRoute>(*this); }
};

RoutePtr readPinRoute(const RouteText& text);

}  // namespace imprimo::sheet
