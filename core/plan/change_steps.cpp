// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/change_steps.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/plan/block_plan.h"
#include "core/plan/plan_steps.h"
#include "core/plan/protection_steps.h"

namespace imprimo::plan {
namespace {

class ChangePlanner {
 public:
  ChangePlanner(Plan& plan, const Wanted& wanted, const Knowledge& known, const MemoryImage& desired)
      : plan_(plan), wanted_(wanted), known_(known), desired_(desired) {}

  void addSteps() {
    static const MemoryImage kNothing;
    const MemoryImage& contents = known_.contents != nullptr ? *known_.contents : kNothing;
    plan_.target = desired_;
    RangeSet unread;
    for (const AddressRange& block : touchedBlocks()) {
      const bool sure = known_.isSure(block);
      if (!sure && !known_.eraseUnknown) unread.add(block);
      works_.push_back(
          workForBlock(block, geometry(), desired_, sure || known_.preview ? contents : kNothing, wanted_.noErase));
      if (known_.eraseUnknown && works_.back().plan.fate == BlockFate::Unknown) {
        requireNothingKept(block);
        eraseUnseen(works_.back(), geometry().page, desired_);
      }
    }
    orderForBoot(contents);
    plan_.complete = true;
    for (const BlockWork& work : works_) {
      plan_.blocks.push_back(work.plan);
      if (work.plan.fate == BlockFate::Unknown) plan_.complete = false;
      if (!work.target.empty()) plan_.target.write(work.plan.range.begin, work.target);
    }
    if (!unread.empty()) {
      addReadStep(plan_, known_, unread, whyRead(contents));
      if (known_.compares && wanted_.task == Task::Program) {
        Step& step = plan_.steps.back();
        step.title = fmt::format("Compare {} by checksum", countText(works_.size(), "block"));
        step.why += "; a block that agrees is not read";
      }
    }
    if (known_.eraseUnknown && known_.contents != nullptr) compare(contents);
    save(contents);
    const ProtectionSteps protection(plan_, wanted_, known_);
    RangeSet changes;
    for (const BlockWork& work : works_) {
      if (changesOf(work)) changes.add(work.plan.range);
    }
    const bool opened = protection.open(changes);
    const bool eraseTask = wanted_.task == Task::Erase;
    if (sharedBoot_ && !eraseTask) invalidate();
    if (sharedBoot_ && eraseTask) renew(true);
    // Nothing is rewritten before the block that makes the part bootable is gone.
    const bool first = boot_ && !sharedBoot_ && std::any_of(works_.begin(), works_.end(), [](const BlockWork& w) {
                         return w.plan.fate == BlockFate::Renew;
                       });
    if (first) erase(Which::Boot);
    renew(false);
    erase(first ? Which::Others : Which::All);
    write();
    if (sharedBoot_ && !eraseTask) renew(true);
    if (opened) protection.close();
    confirm();
  }

 private:
  const memory::Geometry& geometry() const { return *known_.geometry; }
  bool worstCase(const BlockWork& work) const {
    return work.plan.fate == BlockFate::Unknown && !wanted_.noErase && !geometry().overwrites;
  }
  static bool changesOf(const BlockWork& work) { return work.plan.fate != BlockFate::Agrees; }
  bool isBoot(const AddressRange& range) const { return boot_ && range.contains(*boot_); }

  /// Only what was read in this run, or is proven to be as it was read, decides.
  std::string whyRead(const MemoryImage& contents) const {
    std::string why = "only what differs is written";
    const bool hints = std::any_of(works_.begin(), works_.end(), [&](const BlockWork& w) {
      return contents.touches(w.plan.range) && !known_.isSure(w.plan.range);
    });
    if (!hints) return why;
    why += "; what was read before is read again: ";
    switch (known_.continuity) {
      case memory::Continuity::NoMarks:
        return why + "this bridge keeps no mark that would prove that it still holds";
      case memory::Continuity::Broken:
        return why + known_.words.lost;
      default:
        return why + "the board was restarted or used otherwise since";
    }
  }

  void requireNothingKept(const AddressRange& block) const {
    for (const AddressRange& kept : wanted_.keep) {
      if (!kept.overlaps(block)) continue;
      throw Error(
          ErrorKind::Usage,
          fmt::format("the block {} of {} is erased, and the kept range {} lies in it; what is there is not known",
                      rangeText(block), wanted_.memory, rangeText(kept)),
          "Give a read-back of the memory.")
          .setHelp(Help::GiveContents);
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
  /// erased first and written last, also where it agrees already. Where nothing may be erased it is only written last.
  void orderForBoot(const MemoryImage& contents) {
    if (!wanted_.boot || (wanted_.task != Task::Program && wanted_.task != Task::Erase)) return;
    const auto work = std::find_if(works_.begin(), works_.end(),
                                   [&](const BlockWork& w) { return w.plan.range.contains(*wanted_.boot); });
    if (work == works_.end() || !desired_.touches(work->plan.range)) return;
    const auto changes = std::count_if(works_.begin(), works_.end(), changesOf);
    if (changes - (changesOf(*work) ? 1 : 0) == 0) return;
    const bool erases = !wanted_.noErase && !geometry().overwrites && wanted_.task == Task::Program;
    if (!erases && !changesOf(*work)) return;
    if (erases) {
      boot_ = wanted_.boot;
      rewrite(*work, geometry().page, desired_, contents,
              fmt::format("block {} makes the part bootable: erased first, written last",
                          hexAddress(work->plan.range.begin)));
    } else if (wanted_.task == Task::Erase) {
      boot_ = wanted_.boot;
    }
    sharedBoot_ = work->plan.fate == BlockFate::Renew;
    last_ = work->plan.range;
    // The page with the address itself is the very last one.
    std::stable_partition(work->pages.begin(), work->pages.end(),
                          [&](const memory::PageWrite& p) { return !p.range().contains(*wanted_.boot); });
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
    if (any) return addSaveStep(plan_, known_, ranges);
    if (!ranges.empty() && !known_.eraseUnknown) addSecondReadStep(plan_, known_, ranges);
  }

  /// A file of vectors was made from what one board holds; on another one it must stop before its first erase.
  void compare(const MemoryImage& contents) {
    Step step;
    for (const BlockWork& work : works_) {
      for (const MemoryImage::Segment& s : contents.segmentsIn(work.plan.range)) {
        plan_.before.write(s.begin, s.bytes);
        step.ranges.push_back(s.range());
        step.amount.count += s.bytes.size();
      }
    }
    if (step.ranges.empty()) return;
    step.kind = StepKind::Compare;
    step.title = "Compare with the contents given";
    step.why = "what is put back and what is left as it is was taken from them";
    step.seconds = known_.speed.readSeconds(step.amount.count);
    plan_.steps.push_back(std::move(step));
  }

  double pagesSeconds(const std::vector<memory::PageWrite>& pages) const {
    double seconds = 0;
    for (const memory::PageWrite& p : pages)
      seconds += known_.speed.pageSeconds(p.bytes.size()) + geometry().pageTypical;
    return seconds;
  }

  /// The planned bytes around the boot address become zeros, for which nothing has to be erased: others live there.
  void invalidate() {
    for (const MemoryImage::Segment& s : desired_.segments()) {
      if (!s.range().contains(*boot_)) continue;
      const std::uint64_t pageEnd = (*boot_ / geometry().page + 1) * geometry().page;
      Step& step =
          addStep(plan_, StepKind::Write, "Invalidate the boot block", "a half-written image must not look whole");
      step.pages.push_back({*boot_, Bytes(std::min(pageEnd, s.range().end) - *boot_, 0x00)});
      step.amount.count = step.pages.front().bytes.size();
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
      step.amount.count += work.plan.range.size();
      step.seconds += geometry().erase[erases.front().type].typical;
    }
    if (step.erases.empty()) return;
    step.title = fmt::format("Rewrite {}", countText(step.erases.size(), "shared block"));
    step.seconds += pagesSeconds(step.pages);
    plan_.steps.push_back(std::move(step));
  }

  /// The erase that takes the boot block along, or all others; of all of them it comes first.
  enum class Which { Boot, Others, All };
  void erase(Which which) {
    std::vector<AddressRange> blocks;
    for (const BlockWork& work : works_) {
      if (work.plan.fate == BlockFate::Erase || worstCase(work)) blocks.push_back(work.plan.range);
    }
    Step step;
    step.kind = StepKind::Erase;
    for (const memory::EraseBlock& e : largestErases(blocks, geometry())) {
      if (which != Which::All && isBoot(e.range) != (which == Which::Boot)) continue;
      step.erases.push_back(e);
      step.amount.count += e.range.size();
      step.seconds += geometry().erase[e.type].typical;
    }
    std::size_t count = 0;
    for (const BlockWork& work : works_) {
      const bool here = std::any_of(step.erases.begin(), step.erases.end(),
                                    [&](const memory::EraseBlock& e) { return e.range.contains(work.plan.range); });
      if (!here) continue;
      if (count++ == 0) step.why = work.plan.why;
    }
    if (count == 0) return;
    std::stable_partition(step.erases.begin(), step.erases.end(),
                          [this](const memory::EraseBlock& e) { return isBoot(e.range); });
    step.title = fmt::format("Erase {}{}", plan_.complete ? "" : "up to ", countText(count, "block"));
    plan_.steps.push_back(std::move(step));
  }

  void write() {
    Step step;
    step.kind = StepKind::Write;
    std::vector<const BlockWork*> order;
    for (const BlockWork& work : works_) {
      if (work.plan.fate != BlockFate::Renew && work.plan.fate != BlockFate::Agrees && !work.pages.empty())
        order.push_back(&work);
    }
    std::stable_partition(order.begin(), order.end(), [this](const BlockWork* w) { return w->plan.range != last_; });
    for (const BlockWork* work : order) {
      if (step.pages.empty()) step.why = work->plan.why;
      step.pages.insert(step.pages.end(), work->pages.begin(), work->pages.end());
    }
    if (step.pages.empty()) return;
    for (const memory::PageWrite& p : step.pages) step.amount.count += p.bytes.size();
    step.seconds = pagesSeconds(step.pages);
    step.title = fmt::format("Write {}{}", plan_.complete ? "" : "up to ", countText(step.pages.size(), "page"));
    plan_.steps.push_back(std::move(step));
  }

  void confirm() {
    // Where nothing is changed at all, that is what the run is for, so what agrees is looked at again unless it was
    // read in this run; and a file of vectors knows nothing but what it compares.
    const bool nothing = std::none_of(works_.begin(), works_.end(), changesOf);
    RangeSet ranges;
    std::uint64_t agree = 0;
    for (const BlockWork& work : works_) {
      const AddressRange& block = work.plan.range;
      const bool fresh = known_.fresh.contains(block);
      if (wanted_.noVerify) {
        if (work.plan.fate == BlockFate::Renew) addOthers(ranges, block);
        continue;
      }
      if (changesOf(work) || (nothing && !fresh) || known_.eraseUnknown) {
        ranges.add(block);
      } else if (!fresh) {
        agree += block.size();
      }
    }
    if (ranges.empty()) return;
    Step& step =
        addStep(plan_, StepKind::Confirm, wanted_.noVerify ? "Confirm what was put back" : "Confirm by reading back",
                wanted_.noVerify ? "it was not to be changed" : "what is there must be what was planned");
    if (agree > 0)
      step.why += fmt::format("; {} that agree were read before, and {} since", sizeText(agree), known_.words.kept);
    step.ranges = ranges.ranges();
    step.amount.count = ranges.size();
    step.seconds = known_.speed.readSeconds(step.amount.count);
  }

  /// What lives in a block beside what is planned for it.
  void addOthers(RangeSet& ranges, const AddressRange& block) const {
    RangeSet others;
    others.add(block);
    for (const MemoryImage::Segment& s : desired_.segmentsIn(block)) others.remove(s.range());
    for (const AddressRange& r : others.ranges()) ranges.add(r);
  }

  Plan& plan_;
  const Wanted& wanted_;
  const Knowledge& known_;
  const MemoryImage& desired_;
  std::vector<BlockWork> works_;
  std::optional<std::uint64_t> boot_;
  std::optional<AddressRange> last_;  // the block that is written last
  bool sharedBoot_ = false;
};

}  // namespace

void addChangeSteps(Plan& plan, const Wanted& wanted, const Knowledge& known, const MemoryImage& desired) {
  ChangePlanner(plan, wanted, known, desired).addSteps();
}

}  // namespace imprimo::plan
