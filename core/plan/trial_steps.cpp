// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/plan/block_plan.h"
#include "core/plan/change_steps.h"
#include "core/plan/plan_steps.h"
#include "core/plan/protection_steps.h"

namespace imprimo::plan {
namespace {

constexpr std::uint64_t kMostScratch = 256ull * 1024;
constexpr std::size_t kBlocksLookedAt = 64;

bool isBlank(const Bytes& bytes) {
  return std::all_of(bytes.begin(), bytes.end(), [](std::uint8_t b) { return b == kBlankByte; });
}

bool isKept(const Wanted& wanted, const AddressRange& block) {
  return std::any_of(wanted.keep.begin(), wanted.keep.end(), [&](const AddressRange& k) { return k.overlaps(block); });
}

/// The last blocks of the part that nobody keeps.
std::vector<AddressRange> candidates(const Wanted& wanted, const memory::Geometry& g) {
  std::vector<AddressRange> blocks;
  for (std::size_t i = g.blockIndex(g.reach().end - 1) + 1; i-- > 0 && blocks.size() < kBlocksLookedAt;) {
    const AddressRange block = g.block(i);
    if (block.size() <= kMostScratch && !isKept(wanted, block)) blocks.push_back(block);
  }
  return blocks;
}

/// A blank block; nothing where some have to be read first, for which a step is appended.
std::optional<AddressRange> blankBlock(Plan& plan, const Wanted& wanted, const Knowledge& known,
                                       const MemoryImage& contents) {
  std::optional<AddressRange> scratch;
  RangeSet unread;
  for (const AddressRange& block : candidates(wanted, *known.geometry)) {
    if (!known.isSure(block)) {
      unread.add(block);
    } else if (!scratch && isBlank(contents.bytes(block))) {
      scratch = block;
    }
  }
  if (scratch) return scratch;
  if (unread.empty()) {
    throw Error(ErrorKind::Refused,
                fmt::format("none of the last {} blocks of {} is blank", kBlocksLookedAt, wanted.memory),
                "Name a block whose bytes may be erased and put back.")
        .setHelp(Help::NameScratch);
  }
  addReadStep(plan, known, unread, "a blank block is looked for");
  return std::nullopt;
}

/// The blocks that were named; nothing where they have to be read first, for which a step is appended.
std::optional<AddressRange> namedBlock(Plan& plan, const Wanted& wanted, const Knowledge& known) {
  const memory::Geometry& g = *known.geometry;
  const AddressRange asked = wanted.ranges.front();
  if (wanted.ranges.size() != 1 || asked.begin < g.base || asked.end > g.reach().end) {
    throw Error(ErrorKind::Usage, fmt::format("the scratch block has to be one range inside {}", wanted.memory));
  }
  const AddressRange scratch = g.roundedToBlocks(asked);
  if (scratch.size() > kMostScratch) {
    throw Error(ErrorKind::Usage,
                fmt::format("{} is too much to try on; at most {}", sizeText(scratch.size()), sizeText(kMostScratch)));
  }
  if (isKept(wanted, scratch))
    throw Error(ErrorKind::Usage, fmt::format("{} is kept by the sheet", rangeText(scratch)), "Name another block.");
  if (known.isSure(scratch)) return scratch;
  RangeSet one;
  one.add(scratch);
  addReadStep(plan, known, one, "it is restored afterwards");
  return std::nullopt;
}

}  // namespace

void addTrialSteps(Plan& plan, const Wanted& wanted, const Knowledge& known) {
  static const MemoryImage kNothing;
  const memory::Geometry& g = *known.geometry;
  const MemoryImage& contents = known.contents != nullptr ? *known.contents : kNothing;
  plan.complete = false;
  const std::optional<AddressRange> scratch =
      wanted.ranges.empty() ? blankBlock(plan, wanted, known, contents) : namedBlock(plan, wanted, known);
  if (!scratch) return;

  plan.complete = true;
  const Bytes old = contents.bytes(*scratch);
  plan.target.write(scratch->begin, old);
  RangeSet changes;
  changes.add(*scratch);
  if (isBlank(old)) {
    addSecondReadStep(plan, known, changes);
  } else {
    addSaveStep(plan, known, changes);
  }
  const ProtectionSteps protection(plan, wanted, known);
  const bool opened = protection.open(changes);
  std::vector<AddressRange> blocks;
  for (std::uint64_t at = scratch->begin; at < scratch->end; at = blocks.back().end) blocks.push_back(g.blockAt(at));
  Step& step = addStep(plan, StepKind::Trial,
                       fmt::format("Try {} patterns, {} reads of each", kTrialPatterns, wanted.trialReads),
                       fmt::format("in {}, which is restored", rangeText(*scratch)));
  step.erases = largestErases(blocks, g);
  step.amount.count = std::uint64_t{kTrialPatterns} * wanted.trialReads * scratch->size();
  double erase = 0;
  for (const memory::EraseBlock& e : step.erases) erase += g.erase[e.type].typical;
  const double pages = std::max<double>(1, static_cast<double>(scratch->size()) / g.page);
  step.seconds = (kTrialPatterns + 1) * (erase + pages * (known.speed.pageSeconds(g.page) + g.pageTypical)) +
                 known.speed.readSeconds(step.amount.count);
  if (opened) protection.close();
  Step& confirm =
      addStep(plan, StepKind::Confirm, "Confirm that the block is as before", "what was there was put back");
  confirm.ranges = {*scratch};
  confirm.amount.count = scratch->size();
  confirm.seconds = known.speed.readSeconds(confirm.amount.count);
}

}  // namespace imprimo::plan
