// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/chip_card.h"

#include <fmt/format.h>

#include <algorithm>
#include <mutex>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/letter_case.h"
#include "core/packs/pack_description.h"

namespace imprimo::packs {
namespace {

/// Flash algorithms have a few KiB, with what a debugger wants to know of them more.
constexpr std::uint64_t kMostAlgorithm = 8 * kMiB;

bool sees(const std::string& of, const std::string& processor) {
  return of.empty() || processor.empty() || of == processor;
}

/// The one for this memory: of those that cover all of it the preferred one or the first, else of those that cover
/// some.
const PackAlgorithm* algorithmFor(const PackMemory& memory, const PackDevice& device, const std::string& processor) {
  const PackAlgorithm* best = nullptr;
  int bestFit = 0;
  for (const PackAlgorithm& algorithm : device.algorithms) {
    if (!sees(algorithm.processor, processor) || !algorithm.range.overlaps(memory.range)) continue;
    const bool whole = algorithm.range.begin <= memory.range.begin && algorithm.range.end >= memory.range.end;
    const int fit = 1 + (algorithm.preferred ? 1 : 0) + (whole ? 2 : 0);
    if (fit <= bestFit) continue;
    best = &algorithm;
    bestFit = fit;
  }
  return best;
}

}  // namespace

std::string processorOf(const PackDevice& device, const std::string& wanted) {
  std::string names;
  for (const PackProcessor& processor : device.processors) {
    if (wanted.empty() || sameButForCase(processor.name, wanted)) return processor.name;
    names += (names.empty() ? "" : ", ") + processor.name;
  }
  if (wanted.empty()) return {};
  throw Error(ErrorKind::Usage, fmt::format("{} has no processor named {}", device.name, wanted),
              names.empty() ? "It has only one." : "It has " + names + ".");
}

debug::CoreCard chipCard(const std::shared_ptr<const PackFile>& pack, const PackDevice& device,
                         const std::string& processor) {
  debug::CoreCard card;
  card.name = device.name;
  card.path = pack->path();
  card.fromPack = true;
  bool hasWork = false;
  for (const PackMemory& memory : device.memories) {
    if (!sees(memory.processor, processor)) continue;
    debug::CoreRegion region{memory.name, !memory.writable, memory.range};
    if (region.flash) {
      const PackAlgorithm* algorithm = algorithmFor(memory, device, processor);
      if (algorithm == nullptr) continue;  // what is never written
      region.range = region.range.cut(algorithm->range);
      region.algorithm = algorithm->file;
      region.algorithmRam = algorithm->ram;
      region.reads = [pack, file = algorithm->file] {
        return debug::parseFlashAlgorithm(pack->read(file, kMostAlgorithm), pack->path().string() + ": " + file);
      };
    } else if (memory.preferred && !hasWork) {
      region.work = hasWork = true;
    }
    const auto same = std::find_if(card.regions.begin(), card.regions.end(),
                                   [&](const debug::CoreRegion& other) { return other.name == region.name; });
    if (same == card.regions.end()) {
      card.regions.push_back(std::move(region));
    } else if (!memory.processor.empty()) {
      *same = std::move(region);  // what this processor alone sees
    }
  }
  for (const PackDebug& debug : device.debugs) {
    if (debug.processor == processor || device.debugs.size() == 1) card.accessPort = debug.accessPort;
  }
  return card;
}

std::shared_ptr<const Chip> readChip(const std::filesystem::path& path, const std::string& name) {
  struct Kept {
    std::filesystem::path path;
    std::filesystem::file_time_type time;
    std::uintmax_t size = 0;
    std::string name;
    std::shared_ptr<const Chip> chip;
  };
  static std::mutex guard;
  static std::optional<Kept> last;
  std::error_code noTime, noSize;
  const auto time = std::filesystem::last_write_time(path, noTime);
  const auto size = std::filesystem::file_size(path, noSize);
  const bool known = !noTime && !noSize;
  {
    const std::lock_guard lock(guard);
    if (known && last && last->path == path && last->name == name && last->time == time && last->size == size)
      return last->chip;
  }
  const auto pack = std::make_shared<const PackFile>(path);
  auto chip = std::make_shared<Chip>();
  chip->device = PackDescription(pack->description(), path.string()).device(name);
  chip->processor = processorOf(chip->device, nameAndProcessor(name).second);
  chip->card = chipCard(pack, chip->device, chip->processor);
  if (known) {
    const std::lock_guard lock(guard);
    last = {path, time, size, name, chip};
  }
  return chip;
}

void writeCardWithAlgorithms(const debug::CoreCard& card, const PackFile& pack, const std::filesystem::path& path) {
  for (const debug::CoreRegion& region : card.regions) {
    if (!region.flash) continue;
    writeFileAtomically(path.parent_path() / std::filesystem::path(region.algorithm).filename(),
                        pack.read(region.algorithm, kMostAlgorithm));
  }
  writeFileAtomically(path, debug::coreCardText(card));
}

}  // namespace imprimo::packs
