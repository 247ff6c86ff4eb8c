// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/core_flash_kind.h"

#include <fmt/format.h>

#include "core/bench/core_flash.h"
#include "core/bench/core_route.h"
#include "core/sheet/core_route.h"

namespace imprimo::bench {
namespace {

const sheet::CoreRoute& routeOf(const sheet::MemoryEntry& entry) {
  if (const sheet::CoreRoute* route = sheet::coreRoute(*entry.route)) return *route;
  throw Error(ErrorKind::Usage, fmt::format("{} is a core's flash, and its route leads to no core", entry.name),
              "Give it \"via\": \"core\".");
}

const debug::CoreRegion& flashRegion(const debug::CoreCard& card, const sheet::CoreRoute& route,
                                     const sheet::MemoryEntry& entry) {
  const debug::CoreRegion& region = card.region(route.region);
  if (region.flash) return region;
  throw Error(ErrorKind::Usage,
              fmt::format("{} is a core-flash, and {} of {} is RAM", entry.name, region.name, card.name),
              "Name a region of kind \"flash\".");
}

std::optional<memory::Geometry> onPaper(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  const sheet::CoreRoute& route = routeOf(entry);
  const debug::CoreCard card = cardOf(sheet, sheet.core(route.core));
  const debug::CoreRegion& region = flashRegion(card, route, entry);
  return geometryOf(card.algorithmOf(region), region);
}

void identify(const MemorySite& site, std::unique_ptr<memory::Memory>& memory) {
  const sheet::CoreRoute& route = routeOf(site.entry);
  BenchCore& core = coreOf(site.route, site.entry.name);
  core.requireIdentity();
  const debug::CoreRegion& region = flashRegion(core.card(), route, site.entry);
  auto algorithm = std::make_shared<const debug::FlashAlgorithm>(core.card().algorithmOf(region));
  memory = std::make_unique<CoreFlash>(core, std::move(algorithm), region);
}

}  // namespace

MemoryKind coreFlashKind() {
  return {"core-flash", MemoryUse::CoreCode, identify, onPaper, nullptr};
}

}  // namespace imprimo::bench
