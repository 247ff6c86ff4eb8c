// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_ram.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/cores/core_memory.h"
#include "core/bench/cores/core_route.h"

namespace imprimo::bench {
namespace {

/// What is shown and planned as a block, and written as a page: as far as TAR goes on by itself.
constexpr std::uint64_t kLargestBlock = 1024;

memory::Geometry geometryOf(const debug::CoreRegion& region) {
  memory::Geometry g;
  g.base = region.range.begin;
  g.size = region.range.size();
  g.overwrites = true;
  std::uint64_t block = kLargestBlock;
  while (block > 1 && (g.size % block != 0 || g.base % block != 0)) block /= 2;
  g.page = static_cast<std::uint32_t>(block);
  g.erase.push_back({block, 0, 0});
  memory::checkGeometry(g, region.name);
  return g;
}

class CoreRamDetails : public memory::Details {
 public:
  explicit CoreRamDetails(debug::CoreRegion region) : region_(std::move(region)) {}
  std::string card(const std::string&, bool) const override { return {}; }
  nlohmann::ordered_json json(const memory::Identity& identity, bool) const override {
    return {{"name", region_.name}, {"size", identity.geometry.size}, {"source", identity.source}};
  }
  std::string text(const std::string& name, const memory::Identity& identity, bool) const override {
    std::string text =
        fmt::format("{}: RAM, {} of {}\n", name, rangeText(region_.range), sizeText(identity.geometry.size));
    for (const memory::Evidence& e : identity.evidence) text += fmt::format("{}: {}\n", e.what, e.found);
    return text;
  }

 private:
  debug::CoreRegion region_;
};

/// RAM over a core's bus. The core is halted while it is worked on, unless it is only to be attached to: what runs
/// would change it.
class CoreRam : public CoreMemory {
 public:
  CoreRam(BenchCore& core, const debug::CoreRegion& region) : CoreMemory(core, geometryOf(region)) {
    identity_.source = core.card().fromPack ? "pack" : "core-card";
    identity_.describedBy = core.card().fromPack ? "its pack" : "its core card";
    identity_.details = std::make_shared<CoreRamDetails>(region);
  }

  void erase(std::span<const memory::EraseBlock> blocks, Progress&) override {
    throw Error(ErrorKind::Refused, "RAM is not erased").setAt(blocks.empty() ? 0 : blocks.front().range.begin);
  }
  void program(std::span<const memory::PageWrite> pages, Progress& progress) override {
    core_.requireMayHalt();
    core_.core().halt();
    for (const memory::PageWrite& page : pages) {
      requireNotStopped(progress, page.address);
      core_.noteChanged();
      core_.bus().write(static_cast<std::uint32_t>(page.address), page.bytes);
      progress.advanced(page.range());
    }
  }
  void beginRun(bool changes) override {
    CoreMemory::beginRun(changes);
    if (core_.entry().connect != sheet::CoreEntry::Connect::Running) core_.core().halt();
  }
};

std::optional<memory::Geometry> ramGeometry(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  const debug::CoreCard card = cardOf(sheet, sheet.core(coreRouteOf(entry).core));
  return geometryOf(regionOf(card, entry, false));
}

void identifyRam(const MemorySite& site, std::unique_ptr<memory::Memory>& memory) {
  BenchCore& core = coreOf(site.route, site.entry.name);
  core.requireIdentity();
  memory = std::make_unique<CoreRam>(core, regionOf(core.card(), site.entry, false));
}

}  // namespace

MemoryKind coreRamKind() {
  return {"ram", MemoryUse::CoreCode, identifyRam, ramGeometry, nullptr};
}

}  // namespace imprimo::bench
