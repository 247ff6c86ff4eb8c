// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sheet/route_kinds.h"

namespace imprimo::sheet {

/// By boundary scan. Kept as the sheet has it.
class PinRoute : public Route {
 public:
  static constexpr const char* kVia = "pins";
  const char* via() const override { return kVia; }
  std::string words() const override { return "via pins"; }
  std::shared_ptr<Route> clone() const override { return std::make_shared<PinRoute>(*this); }
};

RoutePtr readPinRoute(const RouteText& text);

}  // namespace imprimo::sheet
