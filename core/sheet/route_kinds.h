// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "core/base/json_text.h"
#include "core/sheet/route.h"

namespace imprimo::sheet {

struct Device;
struct CoreEntry;

/// What a kind of route is read from.
struct RouteText {
  JsonNode node;  ///< the memory's "route"
  const std::vector<Device>& chain;
  const std::vector<CoreEntry>& cores;
  /// Tells of keys that are none of these.
  std::function<void(const std::set<std::string>&)> known;
  /// The position of the device that a node names. Throws BadFile.
  std::function<std::size_t(const JsonNode&)> position;
  /// Tells of what does not keep the sheet from being read; empty text is nothing.
  std::function<void(const std::string&)> warn;
};

/// One kind of route: the sheet's word for it, and how the rest is read. Throws BadFile.
struct RouteKind {
  const char* via;
  RoutePtr (*read)(const RouteText& text);
};

/// All of them. What a bench does with each stands in core/bench/route_kinds.cpp.
std::span<const RouteKind> routeKinds();

/// Reads whichever it is. Throws BadFile.
RoutePtr readRoute(const RouteText& text);

}  // namespace imprimo::sheet
