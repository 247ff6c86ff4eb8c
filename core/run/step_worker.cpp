// SPDX-License-Identifier: GPL-3.0-or-later
//
// The steps that change a part.
#include "core/run/step_worker.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "core/base/number.h"
#include "core/run/trial.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

/// So many blocks are erased before a few of their bytes are looked at.
constexpr std::size_t kErasesInGroup = 16;
constexpr std::uint64_t kSpotBytes = 16;

class Watch : public Progress {
 public:
  Watch(Progress& inner, std::function<void(const AddressRange&)> each) : inner_(inner), each_(std::move(each)) {}
  void advanced(const AddressRange& range) override {
    each_(range);
    inner_.advanced(range);
  }
  bool stopRequested() const override { return inner_.stopRequested(); }

 private:
  Progress& inner_;
  std::function<void(const AddressRange&)> each_;
};

}  // namespace

void StepWorker::save(const Step& step) {
  requireSamplesAsKnown(step.ranges);
  for (const Step& later : state_.plan.steps) {
    if (later.kind != StepKind::Renew) continue;
    for (const memory::EraseBlock& block : later.erases) requireSameAsKnown(block.range);
  }
  MemoryImage copy;
  for (const AddressRange& range : step.ranges) {
    for (const MemoryImage::Segment& s : contents().segmentsIn(range)) copy.write(s.begin, s.bytes);
  }
  const memory::FlashIdentity& identity = bench_.identity(wanted_.memory);
  state_.record.backup = backups_.save(
      {wanted_.memory, bench_.sheet().title, identity.id.text(), identity.id.bank, identity.geometry.size}, copy);
  note("saved in " + state_.record.backup.string());
}

std::size_t StepWorker::protectionRegister() {
  const memory::FlashIdentity& identity = bench_.identity(wanted_.memory);
  return memory::registerNamed(identity.registers, identity.protection->inRegister);
}

void StepWorker::setProtection(const Step& step) {
  const std::size_t index = protectionRegister();
  const memory::Protection& protection = *bench_.identity(wanted_.memory).protection;
  const memory::RegisterBits bits = protection.bits();
  const std::uint8_t now = bench_.readRegisters(wanted_.memory).at(index);
  const auto wanted = static_cast<std::uint8_t>((now & ~bits.mask()) | step.field << bits.low);
  const bool changedBefore = std::exchange(state_.record.changed, true);
  if (step.kind == StepKind::Unprotect) state_.protectionBefore = {protection.inRegister, now};
  try {
    bench_.writeRegister(wanted_.memory, index, wanted);
  } catch (const Error& e) {
    // Only a part that says that it did not take it is surely as it was.
    if (e.kind() == ErrorKind::Refused && step.kind == StepKind::Unprotect) {
      state_.protectionBefore.reset();
      state_.record.changed = changedBefore;
    }
    throw;
  }
  if (step.kind == StepKind::Protect) state_.protectionBefore.reset();
  note(fmt::format("{} was {} and is {}", protection.inRegister, hexByte(now), hexByte(wanted)));
}

std::string StepWorker::putProtectionBack() {
  if (!state_.protectionBefore) return {};
  const auto [name, value] = *state_.protectionBefore;
  try {
    bench_.writeRegister(wanted_.memory, protectionRegister(), value);
    state_.protectionBefore.reset();
    return " Its block protection is as it was.";
  } catch (const Error&) {
    return fmt::format(
        " Its block protection could not be put back: when it answers again, set its {} to {} (imprimoctl registers, "
        "or "
        "\"The part\" in the window).",
        name, hexByte(value));
  }
}

/// Before the part is changed at `range`: keep what it held, for the verdict, and forget that it is known.
void StepWorker::aboutToChange(const AddressRange& range) {
  state_.record.changed = true;
  for (const MemoryImage::Segment& s : contents().segmentsIn(range)) state_.before.write(s.begin, s.bytes);
  contents().erase(range);
}

void StepWorker::eraseGroup(std::span<const memory::EraseBlock> blocks, Progress& progress) {
  for (const memory::EraseBlock& block : blocks) aboutToChange(block.range);
  Watch watch(progress, [this](const AddressRange& range) { state_.erased.add(range); });
  part().erase(blocks, watch);
  try {
    spotCheck(blocks);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NotErased || !e.at()) throw;
    for (const memory::EraseBlock& block : blocks) {
      if (block.range.contains(*e.at())) state_.erased.remove(block.range);
    }
    throw;
  }
}

/// An erase command that was ignored is found before anything is written: a few bytes that were not blank are read.
void StepWorker::spotCheck(std::span<const memory::EraseBlock> blocks) {
  std::vector<AddressRange> spots;
  std::vector<AddressRange> of;
  for (const memory::EraseBlock& block : blocks) {
    for (const MemoryImage::Segment& s : state_.before.segmentsIn(block.range)) {
      const auto held = std::find_if(s.bytes.begin(), s.bytes.end(), [](std::uint8_t b) { return b != kBlankByte; });
      if (held == s.bytes.end()) continue;
      const std::uint64_t address = s.begin + static_cast<std::uint64_t>(held - s.bytes.begin());
      spots.push_back({address, std::min(block.range.end, address + kSpotBytes)});
      of.push_back(block.range);
      break;
    }
  }
  const std::vector<Bytes> read = part().readPieces(spots);
  for (std::size_t k = 0; k < spots.size(); ++k) {
    for (std::size_t i = 0; i < read[k].size(); ++i) {
      const std::uint64_t address = spots[k].begin + i;
      if (read[k][i] != kBlankByte)
        throw notErased(wanted_.memory, of[k], address, read[k][i], state_.before.at(address));
    }
  }
}

/// What is going to be put back was read once; a bit that was read wrongly would stand in the copy and be written for
/// good.
void StepWorker::requireSameAsKnown(const AddressRange& block) {
  Bytes again(block.size());
  NoProgress nobody;
  part().read(block.begin, again, nobody);
  for (const MemoryImage::Segment& s : contents().segmentsIn(block)) {
    const auto found = again.begin() + static_cast<std::ptrdiff_t>(s.begin - block.begin);
    const auto [known, other] = std::mismatch(s.bytes.begin(), s.bytes.end(), found);
    if (known == s.bytes.end()) continue;
    const std::uint64_t address = s.begin + static_cast<std::uint64_t>(known - s.bytes.begin());
    const std::string values = fmt::format("{}, then {}", hexByte(*known), hexByte(*other));
    contents() = {};  // whatever else was read with it is as uncertain
    throw Error(ErrorKind::LinkLost,
                fmt::format("two reads of {} differ: {}; the block holds data that has to be put back",
                            hexAddress(address), values),
                "Lower the clock or shorten the cable.")
        .setAt(address);
  }
}

/// A read command that the part missed reads as blank, and a blank block would be written without an erase and without
/// a copy of what is there. A few bytes of every block are looked at once more.
void StepWorker::requireSamplesAsKnown(const std::vector<AddressRange>& ranges) {
  constexpr std::uint64_t kLeast = 2, kMost = 8, kEvery = 8192, kBytes = 16;
  constexpr std::size_t kAtOnce = 256;
  const memory::Geometry& g = bench_.identity(wanted_.memory).geometry;
  std::vector<AddressRange> samples;
  const auto look = [&] {
    const std::vector<Bytes> found = part().readPieces(samples);
    for (std::size_t i = 0; i < samples.size(); ++i) {
      const Bytes known = contents().bytes(samples[i]);
      const auto [a, b] = std::mismatch(known.begin(), known.end(), found[i].begin());
      if (a == known.end()) continue;
      const std::uint64_t address = samples[i].begin + static_cast<std::uint64_t>(a - known.begin());
      contents() = {};  // whatever else was read with it is as uncertain
      throw Error(ErrorKind::LinkLost,
                  fmt::format("two reads of {} differ: {}, then {}; what is there before the change is not certain",
                              hexAddress(address), hexByte(*a), hexByte(*b)),
                  "Lower the clock or shorten the cable.")
          .setAt(address);
    }
    samples.clear();
  };
  for (const AddressRange& range : ranges) {
    for (std::uint64_t at = range.begin; at < range.end; at = g.blockAt(at).end) {
      const AddressRange block = g.blockAt(at).cut(range);
      const std::uint64_t count = std::clamp(block.size() / kEvery, kLeast, kMost);
      for (std::uint64_t i = 0; i < count; ++i) {
        const std::uint64_t from = block.begin + i * block.size() / count;
        const AddressRange sample = block.cut({from, from + kBytes});
        if (contents().covers(sample)) samples.push_back(sample);
      }
      if (samples.size() + kMost > kAtOnce) look();
    }
  }
  if (!samples.empty()) look();
}

void StepWorker::renew(const Step& step, StepProgress& progress) {
  auto page = step.pages.begin();
  for (const memory::EraseBlock& block : step.erases) {
    if (progress.stopRequested())
      throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(block.range.begin)));
    // From here to the last page nothing stops this block: other people's bytes are in it.
    NoProgress unstoppable;
    eraseGroup({&block, 1}, unstoppable);
    const auto first = page;
    while (page != step.pages.end() && block.range.contains(page->address)) ++page;
    Watch watch(unstoppable, [this](const AddressRange& range) {
      state_.written.add(range);
      state_.record.bytes += range.size();
    });
    part().program({first, page}, watch);
    progress.advanced(block.range);
  }
}

void StepWorker::erase(const Step& step, StepProgress& progress) {
  std::span<const memory::EraseBlock> blocks(step.erases);
  while (!blocks.empty()) {
    const std::size_t count = std::min(blocks.size(), kErasesInGroup);
    eraseGroup(blocks.first(count), progress);
    blocks = blocks.subspan(count);
  }
}

void StepWorker::write(const Step& step, StepProgress& progress) {
  if (state_.plan.find(StepKind::Save) == nullptr) {
    RangeSet blank;
    const memory::Geometry& g = bench_.identity(wanted_.memory).geometry;
    for (const memory::PageWrite& page : step.pages) blank.add(g.blockAt(page.address));
    requireSamplesAsKnown(blank.ranges());
  }
  // Also the pages that are queued behind the one that fails may have reached the part.
  for (const memory::PageWrite& page : step.pages) aboutToChange(page.range());
  progress.setEach([this](const AddressRange& range) {
    state_.written.add(range);
    state_.record.bytes += range.size();
  });
  part().program(step.pages, progress);
  progress.setEach({});
}

void StepWorker::trial(const Step& step, StepProgress& progress) {
  const AddressRange scratch{step.erases.front().range.begin, step.erases.back().range.end};
  const Bytes old = contents().bytes(scratch);
  aboutToChange(scratch);
  const TrialResult result = tryBench(part(), step.erases, old, wanted_.trialReads, progress);
  for (const memory::EraseBlock& block : step.erases) state_.erased.add(block.range);
  state_.written.add(scratch);  // it has its bytes back
  state_.record.bytes += result.bytesRead;
  state_.record.trial = result;
  note(result.text());
}

}  // namespace imprimo::run
