// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_flash.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>

#include "core/base/json.h"
#include "core/base/number.h"

namespace imprimo::bench {
namespace {

using Json = nlohmann::ordered_json;

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
  // What a whole erase takes no description says; the longest time of a sector is a fair guess.
  const bool whole = algorithm.eraseChip && algorithm.sectors.size() == 1 && g.size == algorithm.size &&
                     g.base == algorithm.address && std::has_single_bit(g.size) && g.base % g.size == 0;
  if (whole && g.size > algorithm.sectors.front().size) {
    const std::uint64_t sectors = g.size / algorithm.sectors.front().size;
    const double seconds = algorithm.eraseMs / 1000.0;
    g.erase.push_back({g.size, seconds, seconds * static_cast<double>(sectors)});
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
    : CoreMemory(core, geometryOf(*algorithm, region)),
      algorithm_(std::move(algorithm)),
      ram_(core.card().workRam(region)) {
  identity_.source = "algorithm";
  identity_.describedBy = "its flash algorithm";
  identity_.details = std::make_shared<CoreFlashDetails>(algorithm_, region);
}

void CoreFlash::beforeReading() {
  if (!algorithm_->outside) return;
  core_.endAlgorithm();
  try {
    core_.bus().readWord(static_cast<std::uint32_t>(geometry().base));
  } catch (const debug::BusFault&) {
    // Nobody has mapped it yet, or a run that was broken off left it to its commands.
    if (core_.entry().connect == sheet::CoreEntry::Connect::Running) throw;
    core_.running(algorithm_, ram_).once();
  }
}

void CoreFlash::erase(std::span<const memory::EraseBlock> blocks, Progress& progress) {
  debug::AlgorithmRun& run = core_.running(algorithm_, ram_);
  core_.noteChanged();
  // Blocks as large as all of it are erased by a call of their own.
  if (blocks.size() == 1 && blocks.front().range == geometry().whole() &&
      blocks.front().range.size() > geometry().blockSize()) {
    requireNotStopped(progress, blocks.front().range.begin);
    run.eraseAll();
    return progress.advanced(blocks.front().range);
  }
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
  debug::AlgorithmRun& run = core_.running(algorithm_, ram_);
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

memory::Comparing* CoreFlash::comparing() {
  return core_.entry().connect == sheet::CoreEntry::Connect::Running ? nullptr : this;
}

std::vector<std::optional<std::uint64_t>> CoreFlash::sums(std::span<const AddressRange> blocks) {
  std::vector<std::optional<std::uint64_t>> all(blocks.size());
  beforeReading();
  for (std::size_t i = 0; i < blocks.size();) {
    std::size_t end = i + 1;
    while (end < blocks.size() && blocks[end].begin == blocks[end - 1].end && blocks[end].size() == blocks[i].size())
      ++end;
    if (blocks[i].size() % debug::kSummedAtOnce == 0) {
      try {
        const auto sums = core_.sums(blocks[i], end - i);
        std::copy(sums.begin(), sums.end(), all.begin() + static_cast<std::ptrdiff_t>(i));
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::Refused) throw;
        return all;  // a core that does not do it has its flash read
      }
    }
    i = end;
  }
  return all;
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
