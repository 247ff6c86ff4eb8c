// SPDX-License-Identifier: GPL-3.0-or-later
//
// The steps that only look.
#include <fmt/format.h>

#include <algorithm>
#include <thread>

#include "core/base/number.h"
#include "core/run/job.h"
#include "core/run/step_worker.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

constexpr int kMostLosses = 5;

/// The parts of `ranges` that are not in `done`.
std::vector<AddressRange> without(const std::vector<AddressRange>& ranges, const RangeSet& done) {
  RangeSet left(ranges);
  for (const AddressRange& r : done.ranges()) left.remove(r);
  return left.ranges();
}

}  // namespace

void StepWorker::checkChain() {
  const jtag::FoundChain found = bench_.checkChain();
  const jtag::PatternCheck check = bench_.checkLink(100);
  if (check.whole != check.sent) {
    throw Error(ErrorKind::BrokenChain,
                fmt::format("only {} of {} test patterns returned intact through the chain", check.whole, check.sent),
                "Lower the clock or shorten the cable.");
  }
  if (bench_.sheet().onlySwd()) {
    std::string text;
    for (const sheet::CoreEntry& core : bench_.sheet().cores)
      text += fmt::format("{}{} answers (DPIDR 0x{:08x})", text.empty() ? "" : "; ", core.name,
                          bench_.core(core.name).port().dpidr());
    return note(std::move(text));
  }
  note(fmt::format("{}, {} instruction bits, {} of {} patterns whole", countText(found.devices.size(), "part"),
                   found.irTotal, check.whole, check.sent));
}

void StepWorker::identify() {
  const memory::Identity& identity = bench_.at(wanted_.memory).identify();
  part().beginRun(plan::changesMemory(wanted_.task));
  std::string text =
      fmt::format("ID {}, {}, described by {}", identity.id, sizeText(identity.geometry.size), identity.describedBy);
  for (const std::string& remark : identity.remarks) text += "; " + remark;
  const memory::Continuity continuity =
      contents().empty() ? memory::Continuity::First : bench_.at(wanted_.memory).continuity();
  switch (continuity) {
    case memory::Continuity::Unbroken:
      text += fmt::format("; {}: what was read before holds", bench_.at(wanted_.memory).continuityWords().kept);
      break;
    case memory::Continuity::Broken:
      text +=
          fmt::format("; {}: what was read before is from before", bench_.at(wanted_.memory).continuityWords().lost);
      break;
    case memory::Continuity::First:
    case memory::Continuity::NoMarks:
      break;
  }
  if (forgetUnlessStillThere()) text += "; it holds other bytes than before: what was known of it is forgotten";
  note(std::move(text));
  if (wanted_.restores) requireFitting(*wanted_.restores, wanted_.image.extent().end, identity, wanted_.anyPart);
}

/// A few of what is known from before are looked at, so that another board's bytes are not shown as hints. That they
/// are the same proves nothing.
bool StepWorker::forgetUnlessStillThere() {
  constexpr std::size_t kSpots = 24, kBytes = 16;
  const std::vector<MemoryImage::Segment> known = contents().segments();
  if (known.empty() || !contents().hasHints()) return false;
  std::vector<AddressRange> spots;
  for (std::size_t i = 0; i < kSpots; ++i) {
    const MemoryImage::Segment& s = known[i * known.size() / kSpots];
    // Bytes that are not blank tell one board from another.
    const std::uint64_t from = i * s.bytes.size() / kSpots;
    const auto held = std::find_if(s.bytes.begin() + static_cast<std::ptrdiff_t>(from), s.bytes.end(),
                                   [](std::uint8_t b) { return b != kBlankByte; });
    const std::uint64_t at =
        s.begin + (held == s.bytes.end() ? from : static_cast<std::uint64_t>(held - s.bytes.begin()));
    spots.push_back({at, std::min(at + kBytes, s.range().end)});
  }
  const std::vector<Bytes> now = part().readPieces(spots);
  for (std::size_t i = 0; i < spots.size(); ++i) {
    if (now[i] == contents().bytes(spots[i])) continue;
    contents() = {};
    return true;
  }
  return false;
}

/// Reads ranges into what is known, piece by piece as they come.
void StepWorker::readInto(const std::vector<AddressRange>& ranges, StepProgress& progress,
                          const StepProgress::Each& seen) {
  for (const AddressRange& range : ranges) {
    Bytes buffer(range.size());
    progress.setEach([&](const AddressRange& piece) {
      contents().write(piece.begin, ByteSpan(buffer).subspan(piece.begin - range.begin, piece.size()));
      if (seen) seen(piece);
    });
    part().read(range.begin, buffer, progress);
    progress.setEach({});
  }
}

void StepWorker::read(const plan::Step& step, StepProgress& progress) {
  if (wanted_.task == plan::Task::Read) return readThroughLosses(step.ranges, progress);
  const Summed summed = sumBlocks(step.ranges, progress);
  readInto(without(step.ranges, summed.equal), progress,
           [this](const AddressRange& piece) { state_.fresh.add(piece); });
  // A block that was read as its checksum has it need not be read again to be sure of it.
  for (const auto& [block, sum] : summed.others) {
    if (part().comparing()->sumOf(contents().bytes(block)) == sum) state_.twice.add(block);
  }
  if (!summed.equal.empty())
    note(fmt::format("{} agree by checksum, the rest was read", sizeText(summed.equal.size())));
}

/// Blocks that hold what is planned already need not be read. Those that do not are read, for what is written over has
/// to be known.
StepWorker::Summed StepWorker::sumBlocks(const std::vector<AddressRange>& ranges, StepProgress& progress) {
  Summed summed;
  memory::Comparing* comparing = part().comparing();
  if (comparing == nullptr || wanted_.task != plan::Task::Program) return summed;
  const memory::Geometry& geometry = part().geometry();
  std::vector<AddressRange> blocks;
  std::vector<Bytes> planned;
  for (const AddressRange& range : ranges) {
    for (std::uint64_t at = range.begin; at < range.end; at = geometry.blockAt(at).end) {
      const AddressRange block = geometry.blockAt(at);
      if (!range.contains(block)) continue;
      // What of it is not planned is known at most from before.
      MemoryImage image;
      for (const MemoryImage::Segment& s : contents().bytes().segmentsIn(block)) image.write(s.begin, s.bytes);
      for (const MemoryImage::Segment& s : wanted_.image.segmentsIn(block)) image.write(s.begin, s.bytes);
      if (!image.covers(block)) continue;
      blocks.push_back(block);
      planned.push_back(image.bytes(block));
    }
  }
  if (blocks.empty()) return summed;
  const auto sums = comparing->sums(blocks);
  for (std::size_t i = 0; i < blocks.size(); ++i) {
    if (!sums[i]) continue;
    if (*sums[i] != comparing->sumOf(planned[i])) {
      summed.others.emplace_back(blocks[i], *sums[i]);
      continue;
    }
    contents().write(blocks[i].begin, planned[i]);
    state_.fresh.add(blocks[i]);
    summed.equal.add(blocks[i]);
    progress.advanced(blocks[i]);
  }
  return summed;
}

/// Reading a whole part can take long; where the link goes and comes again it goes on from there.
void StepWorker::readThroughLosses(const std::vector<AddressRange>& ranges, StepProgress& progress) {
  std::string losses;
  bool anew = false;
  for (int left = kMostLosses;; --left) {
    try {
      readInto(without(ranges, state_.fresh), progress, [this](const AddressRange& piece) {
        state_.fresh.add(piece);
        state_.record.bytes += piece.size();
      });
      if (!losses.empty()) {
        note(fmt::format("the link was lost at {} and reading {}", losses,
                         anew ? "started over, since nothing proves that it is the same board" : "went on from there"));
      }
      return;
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::LinkLost || left == 0 || progress.stopRequested()) throw;
      progress.setEach({});
      try {
        std::this_thread::sleep_for(std::chrono::milliseconds((kMostLosses - left) * 300));
        bench_.reconnect();
        if (wanted_.load) bench_.at(wanted_.memory).loadRoute(progress);
        bench_.at(wanted_.memory).identify();
        if (bench_.at(wanted_.memory).continuity() != memory::Continuity::Unbroken) {
          // Nothing proves that it is the same board, so what was read of it counts no more.
          contents() = {};
          state_.record.bytes = 0;
          state_.fresh = {};
          anew = true;
        }
      } catch (const Error& again) {
        if (left == 1 || again.kind() == ErrorKind::Refused) throw;
        continue;
      }
      losses += fmt::format("{}{}", losses.empty() ? "" : ", ", hexAddress(e.at().value_or(0)));
    }
  }
}

void StepWorker::confirm(const plan::Step& step, StepProgress& progress) {
  if (wanted_.task == plan::Task::Read) {
    state_.changePlan([&](plan::Plan& plan) {
      for (const AddressRange& r : step.ranges) plan.target.write(r.begin, contents().bytes(r));
    });
  }
  readInto(step.ranges, progress, [this](const AddressRange& piece) {
    state_.fresh.add(piece);
    if (wanted_.task == plan::Task::Verify || wanted_.task == plan::Task::Blank) state_.record.bytes += piece.size();
    state_.record.confirmed += piece.size();
    countDifferences(piece);
  });
  const bool changes =
      wanted_.task == plan::Task::Program || wanted_.task == plan::Task::Erase || wanted_.task == plan::Task::Trial;
  if (state_.record.first && changes) {
    const auto& geometry = bench_.at(wanted_.memory).identity().geometry;
    throw notAsPlanned(wanted_.memory, geometry.blockAt(state_.record.first->address), *state_.record.first,
                       state_.record.differences, state_.before, contents().bytes(),
                       {state_.erased, state_.written, {}, {}, {}, {}, {}});
  }
}

void StepWorker::countDifferences(const AddressRange& piece) {
  const Bytes found = contents().bytes(piece);
  Bytes expected = found;
  state_.plan->target.copyTo(piece.begin, expected);
  if (expected == found) return;
  // What a read says wrongly must not be told of the part.
  if (wanted_.task != plan::Task::Read && !state_.record.first) requireSteady(piece);
  Record& record = state_.record;
  for (std::size_t i = 0; i < found.size(); ++i) {
    if (expected[i] == found[i]) continue;
    const std::uint64_t address = piece.begin + i;
    if (!record.first) record.first = Difference{address, expected[i], found[i], isSecret(wanted_, address)};
    ++record.differences;
    if (!record.different.empty() && record.different.back().end == address) {
      ++record.different.back().end;
    } else if (record.different.size() < kMostDifferences) {
      record.different.push_back({address, address + 1});
    }
  }
}

void StepWorker::requireSteady(const AddressRange& piece) {
  Bytes again(piece.size());
  NoProgress nobody;
  part().read(piece.begin, again, nobody);
  requireEqualReads(piece.begin, contents().bytes(piece), again);
}

void StepWorker::look() {
  const AddressRange reach = bench_.at(wanted_.memory).identity().geometry.reach();
  constexpr std::uint64_t kOnlyLook = 16;
  NoProgress nobody;
  std::size_t wrong = 0;
  for (const plan::LookAt& spot : wanted_.lookAt) {
    if (!reach.contains(spot.address)) continue;
    Bytes found(spot.expected.empty() ? std::min(kOnlyLook, reach.end - spot.address) : spot.expected.size());
    part().read(spot.address, found, nobody);
    contents().write(spot.address, found);
    Looked looked{spot.address, spot.name, spot.expected, found};
    if (std::any_of(wanted_.secret.begin(), wanted_.secret.end(), [&](const AddressRange& range) {
          return range.overlaps({spot.address, spot.address + found.size()});
        }))
      looked.expected = looked.found = {};
    wrong += looked.asExpected() ? 0 : 1;
    state_.record.looked.push_back(looked);
  }
  const std::size_t all = state_.record.looked.size();
  const auto expecting = static_cast<std::size_t>(std::count_if(
      state_.record.looked.begin(), state_.record.looked.end(), [](const Looked& l) { return !l.expected.empty(); }));
  if (wrong > 0) return note(fmt::format("{} of {} not as expected", wrong, expecting));
  const std::string expected = fmt::format("{} as expected", countText(expecting, "bookmark"));
  if (expecting == all) return note(expected);
  note(expecting == 0 ? countText(all, "bookmark") + " read"
                      : fmt::format("{}, {} only read", expected, all - expecting));
}

}  // namespace imprimo::run
