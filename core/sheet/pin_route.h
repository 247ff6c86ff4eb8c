// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/sheet/route_kinds.h"

namespace imprimo::sheet {

/// By boundary scan: ports of the device as its BSDL file names them.
class PinRoute : public Route {
 public:
  static constexpr const char* kVia = "pins";
  std::string cs, clk, mosi, miso;         ///< of a serial flash; empty for a parallel one
  std::string wp, hold;                    ///< driven high; empty: not connected to the device
  std::vector<std::string> address, data;  ///< of a parallel flash, the lowest line first
  std::string ce, oe, we;
  std::map<std::string, bool> held;  ///< other ports that keep a level
  bool isBus() const { return !address.empty(); }

  const char* via() const override { return kVia; }
  std::string words() const override { return "via pins"; }
  std::shared_ptr<Route> clone() const override { return std::make_shared<PinRoute>(*this); }
};

RoutePtr readPinRoute(const RouteText& text);

}  // namespace imprimo::sheet
