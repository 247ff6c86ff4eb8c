// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/planner.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/run/block_plan.h"

namespace imprimo::run {
namespace {

void checkInside(const AddressRange& range, const std::string& memory, const memory::Geometry& geometry) {
  if (range.end <= geometry.size) return;
  throw Error(ErrorKind::Usage,
              fmt::format("{} reaches past the end of {}, which is at {} ({})", rangeText(range), memory,
                          hexAddress(geometry.size - 1), sizeText(geometry.size)),
              "Nothing was touched. Check the address and the part.");
}

std::vector<AddressRange> rangesOf(const Wanted& wanted, const memory::Geometry& geometry) {
  if (wanted.all) return {{0, geometry.size}};
  for (const AddressRange& range : wanted.ranges) checkInside(range, wanted.memory, geometry);
  return RangeSet(wanted.ranges).ranges();
}

std::uint64_t sizeOf(const std::vector<AddressRange>& ranges) {
  std::uint64_t sum = 0;
  for (const AddressRange& r : ranges) sum += r.size();
  return sum;
}

/// Builds the steps of one plan in their order.
class Planner {
 public:
  Planner(const Wanted& wanted, const Knowledge& knowledge) : wanted_(wanted), known_(knowledge) {
    plan_.memory = wanted.memory;
  }

  Plan make() {
    opening();
    if (!known_.geometry) return std::move(plan_);
    switch (wanted_.task) {
      case Task::Program:
      case Task::Erase:
        change();
        break;
      case Task::Verify:
        compare(desiredContents(wanted_, geometry()), "Compare with what is planned");
        break;
      case Task::Blank: {
        MemoryImage blank;
        for (const AddressRange& r : rangesOf(wanted_, geometry())) blank.write(r.begin, Bytes(r.size(), kBlankByte));
        compare(blank, "Look whether it is blank");
        break;
      }
      case Task::Read:
        read(rangesOf(wanted_, geometry()), "Read it out");
        break;
    }
    if (wanted_.restart) {
      add(StepKind::Restart, "Restart the board", "the sheet says so").seconds = 0.1;
    }
    return std::move(plan_);
  }

 private:
  const memory::Geometry& geometry() const { return *known_.geometry; }

  Step& add(StepKind kind, std::string title, std::string why) {
    Step& step = plan_.steps.emplace_back();
    step.kind = kind;
    step.title = std::move(title);
    step.why = std::move(why);
    return step;
  }

  void opening() {
    if (wanted_.waitSeconds) {
      add(StepKind::AwaitTarget, fmt::format("Wait for the target, up to {} s", *wanted_.waitSeconds),
          "power may come late, or from another board");
    }
    add(StepKind::CheckChain, "Check the chain against the sheet", "nothing is sent to parts that are not the sheet's")
        .seconds = 0.01;
    add(StepKind::Identify, fmt::format("Ask {} who it is", wanted_.memory),
        "its size, blocks and times come from the part itself")
        .seconds = 0.02;
  }

  void read(std::vector<AddressRange> ranges, const std::string& why) {
    Step& step = add(StepKind::Read, "", why);
    step.bytes = sizeOf(ranges);
    step.title = "Read what is there";
    step.seconds = known_.speed.readSeconds(step.bytes);
    step.ranges = std::move(ranges);
    plan_.complete = true;
  }

  void compare(MemoryImage target, const std::string& title) {
    Step& step = add(StepKind::Confirm, title, "nothing is changed");
    for (const MemoryImage::Segment& s : target.segments()) step.ranges.push_back(s.range());
    step.bytes = sizeOf(step.ranges);
    step.seconds = known_.speed.readSeconds(step.bytes);
    plan_.target = std::move(target);
    plan_.complete = true;
  }

  void change() {
    static const MemoryImage kNothing;
    const MemoryImage& contents = known_.contents != nullptr ? *known_.contents : kNothing;
    const MemoryImage desired = desiredContents(wanted_, geometry());
    plan_.target = desired;
    std::vector<AddressRange> unknown, erase;
    std::vector<BlockWork> works;
    for (const AddressRange& block : touchedBlocks(desired)) {
      BlockWork& work = works.emplace_back(workForBlock(block, geometry().page, desired, contents, wanted_.noErase));
      plan_.blocks.push_back(work.plan);
      if (work.plan.fate == BlockFate::Unknown) unknown.push_back(block);
      if (!work.target.empty()) plan_.target.write(block.begin, work.target);
      const bool worstCase = work.plan.fate == BlockFate::Unknown && !wanted_.noErase;
      if (work.plan.fate == BlockFate::Erase || worstCase) erase.push_back(block);
    }
    if (!unknown.empty()) read(RangeSet(unknown).ranges(), "only what differs is written");
    plan_.complete = unknown.empty();
    save(works, contents);
    renewStep(works);
    eraseStep(std::move(erase), works);
    writeStep(works);
    confirmStep(works);
  }

  std::vector<AddressRange> touchedBlocks(const MemoryImage& desired) const {
    std::vector<AddressRange> blocks;
    std::uint64_t next = 0;
    for (const MemoryImage::Segment& s : desired.segments()) {
      const AddressRange rounded = geometry().roundedToBlocks(s.range());
      for (next = std::max(next, rounded.begin); next < rounded.end; next += geometry().blockSize()) {
        blocks.push_back(geometry().blockAt(next));
      }
    }
    return blocks;
  }

  /// All that an erase destroys and all that is written over goes to disk first.
  void save(const std::vector<BlockWork>& works, const MemoryImage& contents) {
    std::vector<AddressRange> ranges;
    for (const BlockWork& work : works) {
      if (work.plan.fate == BlockFate::Agrees) continue;
      if (work.plan.fate == BlockFate::Unknown) {
        ranges.push_back(work.plan.range);
        continue;
      }
      const Bytes old = contents.bytes(work.plan.range);
      const bool blank = std::all_of(old.begin(), old.end(), [](std::uint8_t b) { return b == kBlankByte; });
      if (!blank) ranges.push_back(work.plan.range);
    }
    if (ranges.empty()) return;
    Step& step = add(StepKind::Save, "Save a copy of what will change", "so that it can be put back");
    step.ranges = RangeSet(ranges).ranges();
    step.bytes = sizeOf(step.ranges);
    step.seconds = 0.02 + static_cast<double>(step.bytes) / 50e6;
  }

  double pagesSeconds(const std::vector<memory::PageWrite>& pages) const {
    double seconds = 0;
    for (const memory::PageWrite& p : pages)
      seconds += known_.speed.pageSeconds(p.bytes.size()) + geometry().pageTypical;
    return seconds;
  }

  void renewStep(const std::vector<BlockWork>& works) {
    Step step;
    step.kind = StepKind::Renew;
    for (const BlockWork& work : works) {
      if (work.plan.fate != BlockFate::Renew) continue;
      if (step.erases.empty()) step.why = work.plan.why;
      step.erases.push_back({work.plan.range, 0});
      step.pages.insert(step.pages.end(), work.pages.begin(), work.pages.end());
      step.bytes += work.plan.range.size();
      step.seconds += geometry().erase[0].typical;
    }
    if (step.erases.empty()) return;
    step.title = fmt::format("Renew {}", countText(step.erases.size(), "shared block"));
    step.seconds += pagesSeconds(step.pages);
    plan_.steps.push_back(std::move(step));
  }

  void eraseStep(std::vector<AddressRange> blocks, const std::vector<BlockWork>& works) {
    if (blocks.empty()) return;
    const auto first =
        std::find_if(works.begin(), works.end(), [&](const BlockWork& w) { return w.plan.range == blocks.front(); });
    Step& step = add(StepKind::Erase, "", first->plan.why);
    step.erases = largestErases(blocks, geometry());
    for (const memory::EraseBlock& e : step.erases) {
      step.bytes += e.range.size();
      step.seconds += geometry().erase[e.type].typical;
    }
    step.title = fmt::format("Erase {}{}", plan_.complete ? "" : "up to ", countText(blocks.size(), "block"));
  }

  void writeStep(const std::vector<BlockWork>& works) {
    Step step;
    step.kind = StepKind::Write;
    for (const BlockWork& work : works) {
      if (work.plan.fate == BlockFate::Renew || work.plan.fate == BlockFate::Agrees || work.pages.empty()) continue;
      if (step.pages.empty()) step.why = work.plan.why;
      step.pages.insert(step.pages.end(), work.pages.begin(), work.pages.end());
    }
    if (step.pages.empty()) return;
    for (const memory::PageWrite& p : step.pages) step.bytes += p.bytes.size();
    step.seconds = pagesSeconds(step.pages);
    step.title = fmt::format("Write {}{}", plan_.complete ? "" : "up to ", countText(step.pages.size(), "page"));
    plan_.steps.push_back(std::move(step));
  }

  void confirmStep(const std::vector<BlockWork>& works) {
    if (wanted_.noVerify) return;
    RangeSet ranges;
    for (const BlockWork& work : works) {
      const bool seen = work.plan.fate == BlockFate::Agrees && known_.fresh.contains(work.plan.range);
      if (!seen) ranges.add(work.plan.range);
    }
    if (ranges.empty()) return;
    Step& step = add(StepKind::Confirm, "Confirm by reading back", "what is there must be what was planned");
    step.ranges = ranges.ranges();
    step.bytes = ranges.size();
    step.seconds = known_.speed.readSeconds(step.bytes);
  }

  const Wanted& wanted_;
  const Knowledge& known_;
  Plan plan_;
};

}  // namespace

double LinkSpeed::readSeconds(std::uint64_t bytes) const {
  return 8.0 * static_cast<double>(bytes) / clockHz * 1.02;
}

double LinkSpeed::pageSeconds(std::uint64_t bytes) const {
  return (3.0 * clocksPerExchange + 8.0 * static_cast<double>(bytes + 12)) / clockHz;
}

MemoryImage desiredContents(const Wanted& wanted, const memory::Geometry& geometry) {
  if (wanted.task == Task::Erase) {
    RangeSet blank;
    for (const AddressRange& r : rangesOf(wanted, geometry))
      blank.add(wanted.wholeBlocks ? geometry.roundedToBlocks(r) : r);
    for (const AddressRange& r : wanted.keep) blank.remove(r);
    MemoryImage image;
    for (const AddressRange& r : blank.ranges()) image.write(r.begin, Bytes(r.size(), kBlankByte));
    return image;
  }
  checkFits(wanted.pieces, wanted.memory, geometry.size);
  checkInside(wanted.image.extent(), wanted.memory, geometry);
  for (const AddressRange& kept : wanted.keep) {
    if (wanted.task != Task::Program || !wanted.image.touches(kept)) continue;
    throw Error(ErrorKind::Usage,
                fmt::format("planned data at {} lies in the kept range {} of {}",
                            rangeText(wanted.image.segmentsIn(kept).front().range()), rangeText(kept), wanted.memory),
                "Nothing was touched. Move the data, or change \"keep\" in the sheet.");
  }
  return wanted.image;
}

Plan makePlan(const Wanted& wanted, const Knowledge& knowledge) {
  return Planner(wanted, knowledge).make();
}

}  // namespace imprimo::run
