// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/change_steps.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/run/block_plan.h"
#include "core/run/plan_steps.h"
#include "core/run/protection_steps.h"

namespace imprimo::run {
namespace {

class ChangePlanner {
 public:
  ChangePlanner(Plan& plan, const Wanted& wanted, const Knowledge& known, const MemoryImage& desired)
      : plan_(plan), wanted_(wanted), known_(known), desired_(desired) {}

  void addSteps() {
    static const MemoryImage kNothing;
    const MemoryImage& contents = known_.contents != nullptr ? *known_.contents : kNothing;
    plan_.target = desired_;
    for (const AddressRange& block : touchedBlocks()) {
      works_.push_back(workForBlock(block, geometry().page, desired_, contents, wanted_.noErase));
      if (known_.eraseUnknown && works_.back().plan.fate == BlockFate::Unknown) {
        requireNothingKept(block);
        eraseUnseen(works_.back(), geometry().page, desired_);
      }
    }
    orderForBoot(contents);
    RangeSet unknown;
    for (const BlockWork& work : works_) {
      plan_.blocks.push_back(work.plan);
      if (work.plan.fate == BlockFate::Unknown) unknown.add(work.plan.range);
      if (!work.target.empty()) plan_.target.write(work.plan.range.begin, work.target);
    }
    if (!unknown.empty()) addReadStep(plan_, known_, unknown, "only what differs is written");
    plan_.complete = unknown.empty();
    save(contents);
    const ProtectionSteps protection(plan_, wanted_, known_);
    RangeSet changes;
    for (const BlockWork& work : works_) {
      if (changesOf(work)) changes.add(work.plan.range);
    }
    const bool opened = protection.open(changes);
    if (sharedBoot_) blot();
    renew(false);
    erase();
    write();
    if (sharedBoot_) renew(true);
    if (opened) protection.close();
    confirm();
  }

 private:
  const memory::Geometry& geometry() const { return *known_.geometry; }
  bool worstCase(const BlockWork& work) const { return work.plan.fate == BlockFate::Unknown && !wanted_.noErase; }
  static bool changesOf(const BlockWork& work) { return work.plan.fate != BlockFate::Agrees; }
  bool isBoot(const AddressRange& range) const { return boot_ && range.contains(*boot_); }

  void requireNothingKept(const AddressRange& block) const {
    for (const AddressRange& kept : wanted_.keep) {
      if (!kept.overlaps(block)) continue;
      throw Error(
          ErrorKind::Usage,
          fmt::format("the block {} of {} is erased, and the kept range {} lies in it; what is there is not known",
                      rangeText(block), wanted_.memory, rangeText(kept)),
          "Give a read-back of the memory with --contents.");
    }
  }

  std::vector<AddressRange> touchedBlocks() const {
    std::vector<AddressRange> blocks;
    std::uint64_t next = 0;
    for (const MemoryImage::Segment& s : desired_.segments()) {
      const AddressRange rounded = geometry().roundedToBlocks(s.range());
      for (next = std::max(next, rounded.begin); next < rounded.end; next = blocks.back().end)
        blocks.push_back(geometry().blockAt(next));
    }
    return blocks;
  }

  /// While anything of the image is not there yet, the block that makes it bootable must not look whole: so it is
  /// erased first and written last, also where it agrees already.
  void orderForBoot(const MemoryImage& contents) {
    if (!wanted_.boot || wanted_.noErase || wanted_.task != Task::Program) return;
    const auto work = std::find_if(works_.begin(), works_.end(),
                                   [&](const BlockWork& w) { return w.plan.range.contains(*wanted_.boot); });
    if (work == works_.end() || !desired_.touches(work->plan.range)) return;
    const auto changes = std::count_if(works_.begin(), works_.end(), changesOf);
    if (changes - (changesOf(*work) ? 1 : 0) == 0) return;
    boot_ = wanted_.boot;
    rewrite(*work, geometry().page, desired_, contents,
            fmt::format("block {} makes the part bootable: erased first, written last",
                        hexAddress(work->plan.range.begin)));
    sharedBoot_ = work->plan.fate == BlockFate::Renew;
    // The page with the address itself is the very last one.
    std::stable_partition(work->pages.begin(), work->pages.end(),
                          [&](const memory::PageWrite& p) { return !p.range().contains(*boot_); });
  }

  /// All that an erase destroys and all that is written over goes to disk first.
  void save(const MemoryImage& contents) {
    RangeSet ranges;
    bool any = false;
    for (const BlockWork& work : works_) {
      if (work.plan.fate == BlockFate::Agrees) continue;
      // Blank blocks too: the copy has to bring back all that is changed now.
      ranges.add(work.plan.range);
      const Bytes old = contents.bytes(work.plan.range);
      any = any || work.plan.fate == BlockFate::Unknown ||
            std::any_of(old.begin(), old.end(), [](std::uint8_t b) { return b != kBlankByte; });
    }
    if (any) addSaveStep(plan_, ranges);
  }

  double pagesSeconds(const std::vector<memory::PageWrite>& pages) const {
    double seconds = 0;
    for (const memory::PageWrite& p : pages)
      seconds += known_.speed.pageSeconds(p.bytes.size()) + geometry().pageTypical;
    return seconds;
  }

  /// The planned bytes around the boot address become zeros, for which nothing has to be erased: others live there.
  void blot() {
    for (const MemoryImage::Segment& s : desired_.segments()) {
      if (!s.range().contains(*boot_)) continue;
      const std::uint64_t pageEnd = (*boot_ / geometry().page + 1) * geometry().page;
      Step& step = addStep(plan_, StepKind::Write, "Blot out the beginning of the boot block",
                           "a half-written image must not look whole");
      step.pages.push_back({*boot_, Bytes(std::min(pageEnd, s.range().end) - *boot_, 0x00)});
      step.bytes = step.pages.front().bytes.size();
      step.seconds = pagesSeconds(step.pages);
    }
  }

  void renew(bool boot) {
    Step step;
    step.kind = StepKind::Renew;
    for (const BlockWork& work : works_) {
      if (work.plan.fate != BlockFate::Renew || isBoot(work.plan.range) != boot) continue;
      if (step.erases.empty()) step.why = work.plan.why;
      const std::vector<memory::EraseBlock> erases = largestErases({work.plan.range}, geometry());
      step.erases.push_back(erases.front());
      step.pages.insert(step.pages.end(), work.pages.begin(), work.pages.end());
      step.bytes += work.plan.range.size();
      step.seconds += geometry().erase[erases.front().type].typical;
    }
    if (step.erases.empty()) return;
    step.title = fmt::format("Renew {}", countText(step.erases.size(), "shared block"));
    step.seconds += pagesSeconds(step.pages);
    plan_.steps.push_back(std::move(step));
  }

  void erase() {
    std::vector<AddressRange> blocks;
    std::string why;
    for (const BlockWork& work : works_) {
      if (work.plan.fate != BlockFate::Erase && !worstCase(work)) continue;
      if (blocks.empty()) why = work.plan.why;
      blocks.push_back(work.plan.range);
    }
    if (blocks.empty()) return;
    Step& step = addStep(plan_, StepKind::Erase, "", why);
    step.erases = largestErases(blocks, geometry());
    std::stable_partition(step.erases.begin(), step.erases.end(),
                          [this](const memory::EraseBlock& e) { return isBoot(e.range); });
    for (const memory::EraseBlock& e : step.erases) {
      step.bytes += e.range.size();
      step.seconds += geometry().erase[e.type].typical;
    }
    step.title = fmt::format("Erase {}{}", plan_.complete ? "" : "up to ", countText(blocks.size(), "block"));
  }

  void write() {
    Step step;
    step.kind = StepKind::Write;
    std::vector<const BlockWork*> order;
    for (const BlockWork& work : works_) {
      if (work.plan.fate != BlockFate::Renew && work.plan.fate != BlockFate::Agrees && !work.pages.empty())
        order.push_back(&work);
    }
    std::stable_partition(order.begin(), order.end(), [this](const BlockWork* w) { return !isBoot(w->plan.range); });
    for (const BlockWork* work : order) {
      if (step.pages.empty()) step.why = work->plan.why;
      step.pages.insert(step.pages.end(), work->pages.begin(), work->pages.end());
    }
    if (step.pages.empty()) return;
    for (const memory::PageWrite& p : step.pages) step.bytes += p.bytes.size();
    step.seconds = pagesSeconds(step.pages);
    step.title = fmt::format("Write {}{}", plan_.complete ? "" : "up to ", countText(step.pages.size(), "page"));
    plan_.steps.push_back(std::move(step));
  }

  void confirm() {
    if (wanted_.noVerify) return;
    // What agrees was read, in this run or since the part was identified. Where nothing is changed at all, that is what
    // the run is for, so it is looked at again.
    const bool nothing = std::none_of(works_.begin(), works_.end(), changesOf);
    RangeSet ranges;
    for (const BlockWork& work : works_) {
      const bool again = nothing && !known_.fresh.contains(work.plan.range);
      if (changesOf(work) || again) ranges.add(work.plan.range);
    }
    if (ranges.empty()) return;
    Step& step = addStep(plan_, StepKind::Confirm, "Confirm by reading back", "what is there must be what was planned");
    step.ranges = ranges.ranges();
    step.bytes = ranges.size();
    step.seconds = known_.speed.readSeconds(step.bytes);
  }

  Plan& plan_;
  const Wanted& wanted_;
  const Knowledge& known_;
  const MemoryImage& desired_;
  std::vector<BlockWork> works_;
  std::optional<std::uint64_t> boot_;
  bool sharedBoot_ = false;
};

}  // namespace

void addChangeSteps(Plan& plan, const Wanted& wanted, const Knowledge& known, const MemoryImage& desired) {
  ChangePlanner(plan, wanted, known, desired).addSteps();
}

}  // namespace imprimo::run
