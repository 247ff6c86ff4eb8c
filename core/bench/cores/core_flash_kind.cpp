// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_flash_kind.h"

#include "core/bench/cores/core_flash.h"
#include "core/bench/cores/core_route.h"

namespace imprimo::bench {
namespace {

std::optional<memory::Geometry> onPaper(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  const debug::CoreCard card = cardOf(sheet, sheet.core(coreRouteOf(entry).core));
  const debug::CoreRegion& region = regionOf(card, entry, true);
  return geometryOf(card.algorithmOf(region), region);
}

void identify(const MemorySite& site, std::unique_ptr<memory::Memory>& memory) {
  BenchCore& core = coreOf(site.route, site.entry.name);
  core.requireIdentity();
  const debug::CoreRegion& region = regionOf(core.card(), site.entry, true);
  auto algorithm = std::make_shared<const debug::FlashAlgorithm>(core.card().algorithmOf(region));
  memory = std::make_unique<CoreFlash>(core, std::move(algorithm), region);
}

}  // namespace

MemoryKind coreFlashKind() {
  return {"core-flash", MemoryUse::CoreCode, identify, onPaper, nullptr};
}

}  // namespace imprimo::bench
