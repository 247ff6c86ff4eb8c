// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_memory.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/debug/bus_words.h"

namespace imprimo::bench {

const sheet::CoreRoute& coreRouteOf(const sheet::MemoryEntry& entry) {
  if (const sheet::CoreRoute* route = sheet::coreRoute(*entry.route)) return *route;
  throw Error(ErrorKind::Usage, fmt::format("{} is a core's memory, and its route leads to no core", entry.name),
              "Give it \"via\": \"core\".");
}

const debug::CoreRegion& regionOf(const debug::CoreCard& card, const sheet::MemoryEntry& entry, bool flash) {
  const debug::CoreRegion& region = card.region(coreRouteOf(entry).region);
  if (region.flash == flash) return region;
  throw Error(ErrorKind::Usage,
              fmt::format("{} is a {}, and {} of {} is {}", entry.name, entry.type, region.name, card.name,
                          region.flash ? "flash" : "RAM"),
              fmt::format("Name a region of kind \"{}\".", flash ? "flash" : "ram"));
}

std::optional<AddressRange> ramOnPaper(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  const sheet::CoreRoute* route = sheet::coreRoute(*entry.route);
  if (route == nullptr) return std::nullopt;
  std::optional<AddressRange> ram;
  for (const debug::CoreRegion& region : cardOf(sheet, sheet.core(route->core)).regions) {
    if (region.flash) continue;
    ram = ram ? AddressRange{std::min(ram->begin, region.range.begin), std::max(ram->end, region.range.end)}
              : region.range;
  }
  return ram;
}

CoreMemory::CoreMemory(BenchCore& core, memory::Geometry geometry) : core_(core) {
  const std::uint32_t cpuid = core_.core().cpuid();
  identity_.id = fmt::format("0x{:08x}", cpuid);
  identity_.geometry = std::move(geometry);
  identity_.evidence.push_back({"debug port", fmt::format("0x{:08x}", core_.port().dpidr()), true});
  const std::string words = debug::cpuidText(cpuid);
  identity_.evidence.push_back({"core", words.substr(0, words.rfind(" r")), true});  // without its revision
}

void CoreMemory::requireNotStopped(const Progress& progress, std::uint64_t at) {
  if (progress.stopRequested()) throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(at))).setAt(at);
}

void CoreMemory::read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) {
  constexpr std::size_t kReadAtOnce = 16384;
  beforeReading();
  for (std::size_t at = 0; at < out.size(); at += kReadAtOnce) {
    requireNotStopped(progress, address + at);
    const std::size_t some = std::min(kReadAtOnce, out.size() - at);
    core_.bus().read(static_cast<std::uint32_t>(address + at), out.subspan(at, some));
    progress.advanced({address + at, address + at + some});
  }
}

std::vector<Bytes> CoreMemory::readPieces(std::span<const AddressRange> pieces) {
  beforeReading();
  // Whole words, all in one go: each piece by itself would be waited for.
  debug::BusBatch batch;
  for (const AddressRange& piece : pieces)
    batch.read(static_cast<std::uint32_t>(piece.begin & ~3ull), (piece.end + 3) / 4 - piece.begin / 4);
  const Bytes all = debug::bytesOf(core_.bus().run(batch));
  std::vector<Bytes> cut;
  auto at = all.begin();
  for (const AddressRange& piece : pieces) {
    const auto first = at + static_cast<std::ptrdiff_t>(piece.begin % 4);
    cut.emplace_back(first, first + static_cast<std::ptrdiff_t>(piece.size()));
    at += static_cast<std::ptrdiff_t>(4 * ((piece.end + 3) / 4 - piece.begin / 4));
  }
  return cut;
}

Bytes CoreMemory::signature() {
  const std::uint32_t words[] = {core_.port().dpidr(), core_.core().cpuid()};
  return debug::bytesOf(words);
}

}  // namespace imprimo::bench
