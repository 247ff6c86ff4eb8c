// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bit_vector.h"
#include "core/sheet/route_kinds.h"

namespace imprimo::sheet {

/// Through the bridge in an FPGA.
class BridgeRoute : public Route {
 public:
  static constexpr const char* kVia = "bridge";
  const char* via() const override { return kVia; }
  std::string words() const override { return "via bridge in the fabric"; }
  std::shared_ptr<Route> clone() const override { return std::make_shared<BridgeRoute>(*this); }

  std::string instruction;
  BitVector opcode;  ///< in wire order
};

RoutePtr readBridgeRoute(const RouteText& text);

}  // namespace imprimo::sheet
