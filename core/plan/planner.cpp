// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/planner.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/plan/change_steps.h"
#include "core/plan/plan_steps.h"
#include "core/plan/register_steps.h"

namespace imprimo::plan {
namespace {

void checkInside(const AddressRange& range, const std::string& memory, const memory::Geometry& geometry) {
  const AddressRange whole = geometry.whole(), reach = geometry.reach();
  if (range.begin < whole.begin) {
    throw Error(ErrorKind::Usage,
                fmt::format("{} begins before {}, which is at {}", rangeText(range), memory, rangeText(whole)),
                "Addresses are the core's own; check the address.");
  }
  if (range.end > reach.end && range.end <= whole.end) {
    throw Error(ErrorKind::Refused,
                fmt::format("{} reaches past the lower {} of {}: it does not say how higher addresses are reached, and "
                            "what it holds does not let it be tried",
                            rangeText(range), sizeText(reach.size()), memory),
                "Describe it with a part card that has \"four_byte\".");
  }
  if (range.end <= whole.end) return;
  throw Error(ErrorKind::Usage,
              fmt::format("{} reaches past the end of {}, which is at {} ({})", rangeText(range), memory,
                          hexAddress(whole.end - 1), sizeText(geometry.size)),
              "Check the address and the part.");
}

std::vector<AddressRange> rangesOf(const Wanted& wanted, const memory::Geometry& geometry) {
  if (wanted.all) {
    checkInside(geometry.whole(), wanted.memory, geometry);
    return {geometry.whole()};
  }
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
        addChangeSteps(plan_, wanted_, known_, desiredContents(wanted_, geometry()));
        break;
      case Task::Verify:
        compare(desiredContents(wanted_, geometry()), "Compare with what is planned");
        break;
      case Task::Blank: {
        MemoryImage blank;
        for (const AddressRange& r : rangesOf(wanted_, geometry())) blank.write(r.begin, Bytes(r.size(), kBlankByte));
        compare(blank, "Blank check");
        break;
      }
      case Task::Read:
        addReadStep(plan_, known_, RangeSet(rangesOf(wanted_, geometry())), "Read it out");
        plan_.complete = true;
        if (wanted_.twice) readAgain();
        break;
      case Task::Trial:
        addTrialSteps(plan_, wanted_, known_);
        break;
      case Task::Reach:
        plan_.complete = true;
        break;
      case Task::SetRegisters:
        addRegisterSteps(plan_, wanted_, known_);
        break;
    }
    if (wanted_.task == Task::Program || wanted_.task == Task::Erase || wanted_.task == Task::Verify) look();
    if (wanted_.restart) {
      const std::string title = wanted_.start
                                    ? fmt::format("Start {} at {}", wanted_.start->core, hexAddress(wanted_.start->at))
                                    : "Restart the board";
      addStep(plan_, StepKind::Restart, title, "the sheet says so").seconds = 0.1;
      if (!wanted_.hear.empty()) addHearStep(plan_, wanted_.hear, wanted_.speech);
      if (!wanted_.watch.empty())
        addStep(plan_, StepKind::Watch, fmt::format("See whether {} runs", wanted_.watch), "without halting it")
            .seconds = 1;
    }
    return std::move(plan_);
  }

 private:
  const memory::Geometry& geometry() const { return *known_.geometry; }

  void opening() {
    if (wanted_.waitSeconds) addAwaitStep(plan_, *wanted_.waitSeconds);
    addCheckStep(plan_, wanted_.onlySwd);
    if (wanted_.load) {
      const std::string& part = wanted_.load->part;
      Step& step = addStep(
          plan_, StepKind::LoadBridge,
          known_.answers ? fmt::format("Check the bridge in {}", part) : fmt::format("Load the bridge into {}", part),
          known_.answers ? "it is loaded again if it is gone"
                         : fmt::format("unless it is one; the design that runs in {} stops", part));
      if (!known_.answers) step.amount = wanted_.load->amount;
      step.seconds = static_cast<double>(step.amount.count) / known_.speed.clockHz + 0.02;
    }
    addStep(plan_, StepKind::Identify, fmt::format("Identify {}", wanted_.memory),
            "its size, blocks and times come from the part itself")
        .seconds = 0.02;
  }

  void readAgain() {
    Step& step = addStep(plan_, StepKind::Confirm, "Read again and compare", "two reads have to be the same");
    step.ranges = rangesOf(wanted_, geometry());
    step.amount.count = sizeOf(step.ranges);
    step.seconds = known_.speed.readSeconds(step.amount.count);
  }

  void look() {
    constexpr std::uint64_t kOnlyLook = 16;
    Step step;
    step.kind = StepKind::Look;
    const AddressRange reached = geometry().reach();
    for (const LookAt& spot : wanted_.lookAt) {
      // A place that is only looked at may be of another part; one that expects something has to be there.
      const std::uint64_t size = spot.expected.empty() ? kOnlyLook : spot.expected.size();
      const AddressRange range{spot.address, spot.address + std::min(size, UINT64_MAX - spot.address)};
      if (!spot.expected.empty())
        checkInside(range, fmt::format("{} (bookmark \"{}\")", wanted_.memory, spot.name), geometry());
      if (reached.overlaps(range)) step.ranges.push_back(reached.cut(range));
    }
    if (step.ranges.empty()) return;
    step.title = fmt::format("Look at {}", countText(step.ranges.size(), "bookmark"));
    step.why = "the sheet marks these addresses";
    step.amount.count = sizeOf(step.ranges);
    step.seconds = known_.speed.readSeconds(step.amount.count) + 0.001;
    plan_.steps.push_back(std::move(step));
  }

  void compare(MemoryImage target, const std::string& title) {
    Step& step = addStep(plan_, StepKind::Confirm, title, "nothing is changed");
    for (const MemoryImage::Segment& s : target.segments()) step.ranges.push_back(s.range());
    step.amount.count = sizeOf(step.ranges);
    step.seconds = known_.speed.readSeconds(step.amount.count);
    plan_.target = std::move(target);
    plan_.complete = true;
  }

  const Wanted& wanted_;
  const Knowledge& known_;
  Plan plan_;
};

}  // namespace

namespace {

/// Kept bytes are never called erased: they are left out where that is meant, and otherwise nothing is done.
void requireNoneKept(const Wanted& wanted, const RangeSet& asked) {
  RangeSet kept = asked, left = asked;
  for (const AddressRange& keep : wanted.keep) left.remove(keep);
  for (const AddressRange& range : left.ranges()) kept.remove(range);
  if (kept.empty() || ((wanted.skipKept || wanted.all) && !left.empty())) return;
  std::string list;
  for (const AddressRange& range : kept.ranges()) list += (list.empty() ? "" : ", ") + rangeText(range);
  throw Error(ErrorKind::Refused,
              left.empty()
                  ? fmt::format("{}: all of {} is kept, as the sheet says; nothing was erased", wanted.memory, list)
                  : fmt::format("{}: {} is kept, as the sheet says; nothing was erased", wanted.memory, list),
              left.empty() ? "Change \"keep\" in the sheet if it should be erased."
                           : "Skip what is kept to erase the rest, or change \"keep\" in the sheet.");
}

}  // namespace

MemoryImage desiredContents(const Wanted& wanted, const memory::Geometry& geometry) {
  if (wanted.task == Task::Erase) {
    if (geometry.overwrites)
      throw Error(ErrorKind::Usage, fmt::format("{} is RAM, which is not erased", wanted.memory),
                  "Write what it should hold.");
    requireNoneKept(wanted, RangeSet(rangesOf(wanted, geometry)));
    RangeSet blank;
    for (const AddressRange& r : rangesOf(wanted, geometry))
      blank.add(wanted.wholeBlocks ? geometry.roundedToBlocks(r) : r);
    for (const AddressRange& r : wanted.keep) blank.remove(r);
    MemoryImage image;
    for (const AddressRange& r : blank.ranges()) image.write(r.begin, Bytes(r.size(), kBlankByte));
    return image;
  }
  checkFits(wanted.pieces, wanted.memory, geometry.whole());
  checkInside(wanted.image.extent(), wanted.memory, geometry);
  for (const AddressRange& kept : wanted.keep) {
    if (wanted.task != Task::Program || !wanted.image.touches(kept)) continue;
    throw Error(ErrorKind::Usage,
                fmt::format("planned data at {} lies in the kept range {} of {}",
                            rangeText(wanted.image.segmentsIn(kept).front().range()), rangeText(kept), wanted.memory),
                "Move the data, or change \"keep\" in the sheet.");
  }
  return wanted.image;
}

Plan makePlan(const Wanted& wanted, const Knowledge& knowledge) {
  return Planner(wanted, knowledge).make();
}

}  // namespace imprimo::plan
