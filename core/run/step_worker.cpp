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
  void passed(const Amount& more) override { inner_.passed(more); }
  bool stopRequested() const override { return inner_.stopRequested(); }

 private:
  Progress& inner_;
  std::function<void(const AddressRange&)> each_;
};

}  // namespace

void StepWorker::save(const plan::Step& step, Progress& progress) {
  requireReadTwice(step.ranges, progress);
  MemoryImage copy;
  for (const AddressRange& range : step.ranges) {
    for (const MemoryImage::Segment& s : contents().segmentsIn(range)) copy.write(s.begin, s.bytes);
  }
  state_.record.backup = seams_.backups.save(bench_.at(wanted_.memory).copyOf(state_.unfinishedBefore), copy);
  note("saved in " + state_.record.backup.string());
}

RangeSet StepWorker::changedBlocks() const {
  RangeSet blocks;
  for (const plan::BlockPlan& block : state_.plan->blocks) {
    if (block.fate != plan::BlockFate::Agrees) blocks.add(block.range);
  }
  for (const plan::Step& step : state_.plan->steps) {
    if (step.kind != plan::StepKind::Trial) continue;
    for (const memory::EraseBlock& block : step.erases) blocks.add(block.range);
  }
  return blocks;
}

/// What has to be put back if this process ends in the middle, and by what the board is known again.
RunNote StepWorker::noteOf(const RangeSet& blocks) {
  constexpr std::size_t kMostWitnesses = 8;
  constexpr std::uint64_t kWitnessBytes = 4096;
  RunNote note;
  note.begun = state_.record.startedAt;
  note.of = bench_.at(wanted_.memory).copyOf(false);
  note.sheetFile = state_.record.sheet;
  note.process = thisProcess();
  note.blocks = blocks.ranges();
  note.pattern = wanted_.task == plan::Task::Trial;
  note.copy = state_.record.backup.filename().string();
  RangeSet others = blocks;
  if (!note.pattern) {
    const MemoryImage desired = plan::desiredContents(wanted_, bench_.at(wanted_.memory).identity().geometry);
    for (const MemoryImage::Segment& s : desired.segments()) others.remove(s.range());
  }
  note.others = others.ranges();
  for (const AddressRange& kept : wanted_.keep) {
    for (const AddressRange& r : note.others) {
      if (r.overlaps(kept)) note.kept.push_back(r.cut(kept));
    }
  }
  for (const AddressRange& sure : contents().sure().ranges()) {
    for (std::uint64_t at = sure.begin; at < sure.end && note.witnesses.size() < kMostWitnesses; at += kWitnessBytes) {
      const AddressRange range = sure.cut({at, at + kWitnessBytes});
      if (blocks.overlaps(range)) continue;
      const Bytes bytes = contents().bytes(range);
      if (std::all_of(bytes.begin(), bytes.end(), [](std::uint8_t b) { return b == kBlankByte; })) continue;
      note.witnesses.push_back({range, crc32Of(bytes)});
    }
  }
  return note;
}

void StepWorker::prepareChange(Progress& progress) {
  if (state_.prepared) return;
  const RangeSet blocks = changedBlocks();
  requireReadTwice(blocks.ranges(), progress);
  RunNote note = noteOf(blocks);
  seams_.notes.put(note);
  state_.note = std::move(note);
  state_.prepared = true;
}

std::size_t StepWorker::protectionRegister() {
  const memory::Identity& identity = bench_.at(wanted_.memory).identity();
  return memory::registerNamed(identity.registers, identity.protection->inRegister);
}

void StepWorker::setProtection(const plan::Step& step) {
  const std::size_t index = protectionRegister();
  const memory::Protection& protection = *bench_.at(wanted_.memory).identity().protection;
  const memory::RegisterBits bits = protection.bits();
  const std::uint8_t now = bench_.at(wanted_.memory).registers().read().at(index);
  const auto wanted = static_cast<std::uint8_t>((now & ~bits.mask()) | step.field << bits.low);
  const bool changedBefore = std::exchange(state_.record.changed, true);
  if (step.kind == plan::StepKind::Unprotect) {
    state_.protectionBefore = {protection.inRegister, now};
    state_.opened = true;
    state_.note.protection = state_.protectionBefore;
    seams_.notes.put(state_.note);
  }
  try {
    bench_.at(wanted_.memory).registers().write(index, wanted);
  } catch (const Error& e) {
    // Only a part that says that it did not take it is surely as it was.
    if (e.kind() == ErrorKind::Refused && step.kind == plan::StepKind::Unprotect) {
      state_.protectionBefore.reset();
      state_.note.protection.reset();
      state_.opened = false;
      state_.record.changed = changedBefore;
    }
    throw;
  }
  if (step.kind == plan::StepKind::Protect) {
    state_.protectionBefore.reset();
    state_.note.protection.reset();
  }
  note(fmt::format("{} was {} and is {}", protection.inRegister, hexByte(now), hexByte(wanted)));
}

void StepWorker::setRegister(const plan::Step& step) {
  const std::size_t index = memory::registerNamed(bench_.at(wanted_.memory).identity().registers, step.reg);
  memory::Registers& registers = bench_.at(wanted_.memory).registers();
  const std::uint8_t before = registers.read().at(index);
  const bool changedBefore = std::exchange(state_.record.changed, true);
  const bool writtenBefore = std::exchange(state_.registersWritten, true);
  try {
    registers.write(index, step.field);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Refused) {  // it is surely as it was
      state_.record.changed = changedBefore;
      state_.registersWritten = writtenBefore;
    }
    throw;
  }
  note(fmt::format("was {} and is {}", hexByte(before), hexByte(registers.values().at(index))));
}

std::string StepWorker::putProtectionBack() {
  if (!state_.protectionBefore) return {};
  const auto [name, value] = *state_.protectionBefore;
  try {
    bench_.at(wanted_.memory).registers().write(protectionRegister(), value);
    state_.protectionBefore.reset();
    state_.note.protection.reset();
    return " Its block protection is as it was.";
  } catch (const Error&) {
    return fmt::format(" Its block protection could not be put back: {} held {} before. The next run puts it back.",
                       name, hexByte(value));
  }
}

/// Before the part is changed at `range`: keep what it held, for the verdict, and forget that it is known.
void StepWorker::aboutToChange(const AddressRange& range) {
  state_.record.changed = true;
  state_.addressed.add(range);
  for (const MemoryImage::Segment& s : contents().segmentsIn(range)) state_.before.write(s.begin, s.bytes);
  contents().erase(range);
  state_.fresh.remove(range);
  state_.twice.remove(range);
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

/// What decides a change, and what goes into the copy, was read twice in this run: a bit that was read wrongly would be
/// written for good, and a read command that the part missed reads as blank.
void StepWorker::requireReadTwice(const std::vector<AddressRange>& ranges, Progress& progress) {
  const auto read = [&](const RangeSet& done) {
    for (const AddressRange& range : ranges) {
      RangeSet left;
      left.add(range);
      for (const AddressRange& r : done.ranges()) {
        if (r.overlaps(range)) left.remove(r);
      }
      for (const AddressRange& r : left.ranges()) readAndCompare(r, progress);
    }
  };
  read(state_.fresh);
  for (const AddressRange& range : ranges) state_.fresh.add(range);
  read(state_.twice);
  for (const AddressRange& range : ranges) state_.twice.add(range);
}

void StepWorker::readAndCompare(const AddressRange& range, Progress& progress) {
  constexpr std::uint64_t kPiece = 64 * 1024;
  NoProgress nobody;
  for (std::uint64_t at = range.begin; at < range.end;) {
    if (progress.stopRequested())
      throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(at))).setAt(at);
    const AddressRange piece = range.cut({at, at + kPiece});
    Bytes found(piece.size());
    part().read(piece.begin, found, nobody);
    requireEqualReads(piece.begin, contents().bytes(piece), found);
    at = piece.end;
  }
}

void StepWorker::requireEqualReads(std::uint64_t begin, ByteSpan once, ByteSpan again) {
  const auto [a, b] = std::mismatch(once.begin(), once.end(), again.begin());
  if (a == once.end()) return;
  const std::uint64_t address = begin + static_cast<std::uint64_t>(a - once.begin());
  const std::string values = fmt::format("{}, then {}", hexByte(*a), hexByte(*b));
  contents() = {};  // whatever else was read is as uncertain
  state_.fresh = {};
  state_.twice = {};
  throw Error(
      ErrorKind::LinkLost,
      fmt::format("two reads of {} differ: {}; what the part holds cannot be told", hexAddress(address), values),
      "Lower the clock or shorten the cable.")
      .setAt(address);
}

void StepWorker::renew(const plan::Step& step, StepProgress& progress) {
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

void StepWorker::erase(const plan::Step& step, StepProgress& progress) {
  std::span<const memory::EraseBlock> blocks(step.erases);
  while (!blocks.empty()) {
    const std::size_t count = std::min(blocks.size(), kErasesInGroup);
    eraseGroup(blocks.first(count), progress);
    blocks = blocks.subspan(count);
  }
}

void StepWorker::write(const plan::Step& step, StepProgress& progress) {
  // Also the pages that are queued behind the one that fails may have reached the part.
  for (const memory::PageWrite& page : step.pages) aboutToChange(page.range());
  progress.setEach([this](const AddressRange& range) {
    state_.written.add(range);
    state_.record.bytes += range.size();
  });
  part().program(step.pages, progress);
  progress.setEach({});
}

void StepWorker::trial(const plan::Step& step, StepProgress& progress) {
  const AddressRange scratch{step.erases.front().range.begin, step.erases.back().range.end};
  const Bytes old = contents().bytes(scratch);
  aboutToChange(scratch);
  state_.pattern.add(scratch);
  for (const memory::EraseBlock& block : step.erases) state_.erased.add(block.range);
  const TrialResult result = tryBench(part(), step.erases, old, wanted_.trialReads, progress);
  state_.pattern.remove(scratch);  // it has its bytes back
  state_.written.add(scratch);
  state_.record.bytes += result.bytesRead;
  state_.record.trial = result;
  note(result.text());
}

std::string StepWorker::putBack() {
  std::string text = putProtectionBack();
  try {
    bench_.at(wanted_.memory).leaveModes();
    state_.note.modes.clear();
  } catch (const Error& e) {
    state_.note.modes = bench_.at(wanted_.memory).foundModes();
    state_.record.modesLeft = true;
    if (e.kind() != ErrorKind::LinkLost) text += fmt::format(" {}.", e.what());
  }
  return text;
}

bool StepWorker::othersAreBack() {
  constexpr std::uint64_t kMost = 256 * 1024;  // more would keep a stop waiting
  if (RangeSet(state_.note.others).size() > kMost) return false;
  try {
    NoProgress nobody;
    for (const AddressRange& others : state_.note.others) {
      Bytes now(others.size());
      part().read(others.begin, now, nobody);
      Bytes old = now;  // where nothing was sent it is as it was
      state_.before.copyTo(others.begin, old);
      if (now != old) return false;
    }
    return true;
  } catch (const Error&) {
    return false;
  }
}

Claims StepWorker::claims() {
  Claims claims;
  if (bench_.identified(wanted_.memory)) {
    claims = claimsOf(state_.plan->target, contents(), state_.fresh);
  } else {
    for (const MemoryImage::Segment& s : state_.plan->target.segments()) claims.unconfirmed.add(s.range());
  }
  if (!claims.proven.empty()) claims.provenBy = bench_.at(wanted_.memory).continuityWords().kept;
  claims.addressed = state_.addressed;
  claims.protection = state_.protectionBefore.has_value();
  claims.opened = state_.opened;
  claims.modes = state_.record.modesLeft;
  claims.registers = state_.registersWritten;
  claims.stopped.assign(bench_.devices().stoppedDesigns().begin(), bench_.devices().stoppedDesigns().end());
  return claims;
}

}  // namespace imprimo::run
