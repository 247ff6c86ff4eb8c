// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/core_flash.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>

#include "core/base/json.h"
#include "core/base/number.h"

namespace imprimo::bench {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kReadAtOnce = 16384;

void requireNotStopped(const Progress& progress, std::uint64_t at) {
  if (progress.stopRequested()) throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(at))).setAt(at);
}

}  // namespace

memory::Geometry geometryOf(const debug::FlashAlgorithm& algorithm, const debug::CoreRegion& region) {
  memory::Geometry g;
  g.base = region.range.begin;
  g.size = region.range.size();
  g.page = algorithm.page;
  g.programsOnce = true;
  g.pageLongest = algorithm.programMs / 1000.0;
  g.pageTypical = g.pageLongest / 4;
  for (const debug::AlgorithmSectors& s : algorithm.sectors) {
    const auto known = std::find_if(g.erase.begin(), g.erase.end(), [&](const auto& e) { return e.size == s.size; });
    if (known == g.erase.end()) g.erase.push_back({s.size, algorithm.eraseMs / 4000.0, algorithm.eraseMs / 1000.0});
  }
  for (const auto& e : g.erase) g.page = static_cast<std::uint32_t>(std::min<std::uint64_t>(g.page, e.size));
  if (algorithm.sectors.size() > 1) {
    for (const debug::AlgorithmSectors& s : algorithm.sectors) {
      const auto type = std::find_if(g.erase.begin(), g.erase.end(), [&](const auto& e) { return e.size == s.size; });
      const std::uint64_t from =
          std::max<std::uint64_t>(algorithm.address + std::uint64_t{s.offset}, region.range.begin);
      if (from >= region.range.end) break;
      const memory::EraseRegion next{from, 1u << (type - g.erase.begin())};
      if (!g.regions.empty() && g.regions.back().begin == next.begin) {
        g.regions.back() = next;
      } else {
        g.regions.push_back(next);
      }
    }
  }
  memory::checkGeometry(g, algorithm.file);
  return g;
}

CoreFlash::CoreFlash(BenchCore& core, std::shared_ptr<const debug::FlashAlgorithm> algorithm,
                     const debug::CoreRegion& region)
    : core_(core), algorithm_(std::move(algorithm)) {
  identity_.id = fmt::format("0x{:08x}", core_.core().cpuid());
  identity_.geometry = geometryOf(*algorithm_, region);
  identity_.source = "algorithm";
  identity_.describedBy = "its flash algorithm";
  identity_.evidence.push_back({"debug port", fmt::format("0x{:08x}", core_.port().dpidr()), true});
  const std::string words = debug::cpuidText(core_.core().cpuid());
  identity_.evidence.push_back({"core", words.substr(0, words.rfind(" r")), true});  // without its revision
  identity_.details = std::make_shared<CoreFlashDetails>(algorithm_, region);
}

void CoreFlash::read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) {
  for (std::size_t at = 0; at < out.size(); at += kReadAtOnce) {
    requireNotStopped(progress, address + at);
    const std::size_t some = std::min(kReadAtOnce, out.size() - at);
    core_.bus().read(static_cast<std::uint32_t>(address + at), out.subspan(at, some));
    progress.advanced({address + at, address + at + some});
  }
}

std::vector<Bytes> CoreFlash::readPieces(std::span<const AddressRange> pieces) {
  std::vector<Bytes> all;
  for (const AddressRange& piece : pieces) {
    Bytes& bytes = all.emplace_back(piece.size());
    core_.bus().read(static_cast<std::uint32_t>(piece.begin), bytes);
  }
  return all;
}

void CoreFlash::erase(std::span<const memory::EraseBlock> blocks, Progress& progress) {
  debug::AlgorithmRun& run = core_.running(algorithm_);
  core_.noteChanged();
  std::vector<debug::AlgorithmRun::Job> jobs;
  for (const memory::EraseBlock& block : blocks) jobs.push_back({static_cast<std::uint32_t>(block.range.begin), {}});
  std::size_t done = 0;
  run.erase(jobs, [&](std::size_t i) {
    done = i + 1;
    progress.advanced(blocks[i].range);
    return !progress.stopRequested();
  });
  if (done < blocks.size()) requireNotStopped(progress, blocks[done].range.begin);
}

void CoreFlash::program(std::span<const memory::PageWrite> pages, Progress& progress) {
  debug::AlgorithmRun& run = core_.running(algorithm_);
  core_.noteChanged();
  std::vector<debug::AlgorithmRun::Job> jobs;
  for (const memory::PageWrite& page : pages) {
    // An algorithm is given whole pages; where nothing is planned, what an erased cell holds leaves it as it is.
    const std::uint32_t size = geometry().page;  // the algorithm's, or a sector where that is smaller
    const std::uint64_t begin = page.address / size * size;
    Bytes whole(size, algorithm_->empty);
    std::copy(page.bytes.begin(), page.bytes.end(), whole.begin() + static_cast<std::ptrdiff_t>(page.address - begin));
    jobs.push_back({static_cast<std::uint32_t>(begin), std::move(whole)});
  }
  std::size_t done = 0;
  run.program(jobs, [&](std::size_t i) {
    done = i + 1;
    progress.advanced(pages[i].range());
    return !progress.stopRequested();
  });
  if (done < pages.size()) requireNotStopped(progress, pages[done].address);
}

Bytes CoreFlash::signature() {
  Bytes bytes;
  for (const std::uint32_t word : {core_.port().dpidr(), core_.core().cpuid()}) {
    for (int shift = 0; shift < 32; shift += 8) bytes.push_back(static_cast<std::uint8_t>(word >> shift));
  }
  return bytes;
}

std::string CoreFlashDetails::card(const std::string&, bool) const {
  return {};
}

Json CoreFlashDetails::json(const memory::Identity& identity, bool) const {
  Json erase = Json::array();
  for (const debug::AlgorithmSectors& s : algorithm_->sectors) {
    const std::uint64_t from =
        std::max<std::uint64_t>(algorithm_->address + std::uint64_t{s.offset}, region_.range.begin);
    if (from < region_.range.end) erase.push_back({{"size", s.size}, {"from", hexAddress(from)}});
  }
  return {{"name", algorithm_->device},
          {"size", identity.geometry.size},
          {"page", identity.geometry.page},
          {"erase", std::move(erase)},
          {"source", identity.source}};
}

std::string CoreFlashDetails::text(const std::string& name, const memory::Identity& identity, bool) const {
  std::string text = fmt::format("{}: {}, {} of {}, page {}\n", name, algorithm_->device, rangeText(region_.range),
                                 sizeText(identity.geometry.size), identity.geometry.page);
  for (const debug::AlgorithmSectors& s : algorithm_->sectors)
    text += fmt::format("sectors of {} from {}\n", sizeText(s.size),
                        hexAddress(algorithm_->address + std::uint64_t{s.offset}));
  for (const memory::Evidence& e : identity.evidence) text += fmt::format("{}: {}\n", e.what, e.found);
  return text + fmt::format("described by {}\n", algorithm_->file);
}

}  // namespace imprimo::bench
