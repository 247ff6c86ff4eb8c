// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/claims.h"
#include "core/run/run_notes.h"
#include "core/run/runner.h"

namespace imprimo::run {

/// Passes progress of one step on to the observer, and the stop token to whoever works.
class StepProgress : public Progress {
 public:
  using Each = std::function<void(const AddressRange&)>;
  StepProgress(RunObserver& observer, std::size_t step, std::stop_token stop)
      : observer_(observer), step_(step), stop_(std::move(stop)) {}

  void advanced(const AddressRange& range) override {
    done_ += range.size();
    if (each_) each_(range);
    observer_.advanced(step_, range, {done_, Amount::Bytes});
  }
  void passed(const Amount& more) override {
    done_ += more.count;
    observer_.advanced(step_, {}, {done_, more.unit});
  }
  bool stopRequested() const override { return stop_.stop_requested(); }
  /// Called for each piece before the observer is.
  void setEach(Each each) { each_ = std::move(each); }

 private:
  RunObserver& observer_;
  std::size_t step_;
  std::stop_token stop_;
  Each each_;
  std::uint64_t done_ = 0;
};

/// What a run has done so far, beside its record.
struct RunState {
  plan::PlanPtr plan = std::make_shared<plan::Plan>();
  Record record;
  RangeSet fresh;      ///< read in this run, and not changed since
  RangeSet twice;      ///< read twice in this run, with the same answer, and not changed since
  RangeSet addressed;  ///< erase or program commands were or may have been sent for it
  RangeSet pattern;    ///< a trial's block while its bytes are not back
  RangeSet erased;     ///< erased in this run, as far as the spot check tells
  RangeSet written;    ///< programmed in this run
  std::string cameUp;  ///< what became of the part behind a restart, for the message
  MemoryImage before;  ///< what changed addresses held before
  /// The protection register's name and what it held, while it may hold something else.
  std::optional<std::pair<std::string, std::uint8_t>> protectionBefore;
  bool opened = false;  ///< its block protection was cleared
  bool registersWritten = false;
  RunNote note;                   ///< of what is to be changed; without a path as long as nothing was
  bool unfinishedBefore = false;  ///< an earlier run's work on this memory was not finished when this one began
  bool prepared = false;          ///< what is to be changed was read twice and is noted
  std::optional<Claims> claims;   ///< made before a restart, behind which nothing can be asked any more

  /// Others may see the plan by now, so what is changed is a copy.
  template <typename Change>
  void changePlan(Change&& change) {
    auto next = std::make_shared<plan::Plan>(*plan);
    change(*next);
    plan = std::move(next);
  }
};

/// Carries out single steps of a plan; the only code of a run that sends anything to a memory.
class StepWorker {
 public:
  StepWorker(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunState& state)
      : wanted_(wanted), bench_(bench), seams_(seams), state_(state) {}

  void checkChain();
  void loadBridge(StepProgress& progress);
  void restart();
  void identify();
  /// Before the first step that changes the memory: what it will change was read twice in this run, and is noted on
  /// disk. Does nothing the second time.
  void prepareChange(Progress& progress);
  void read(const plan::Step& step, StepProgress& progress);
  void save(const plan::Step& step, Progress& progress);
  void readAgain(const plan::Step& step, Progress& progress) { requireReadTwice(step.ranges, progress); }
  void setProtection(const plan::Step& step);
  void setRegister(const plan::Step& step);
  void renew(const plan::Step& step, StepProgress& progress);
  void erase(const plan::Step& step, StepProgress& progress);
  void write(const plan::Step& step, StepProgress& progress);
  void trial(const plan::Step& step, StepProgress& progress);
  void confirm(const plan::Step& step, StepProgress& progress);
  void look();
  void watch(const std::stop_token& stop);
  void hear(const std::stop_token& stop);

  /// At the end, behind a failure too: puts the protection back where the run took it away, and the part's modes as
  /// they were found. What cannot be put back stays in the note. Never throws; what came of it is returned, empty when
  /// there was nothing to tell.
  std::string putBack();
  Claims claims();
  /// Behind a stop or a failure on a link that lives: whether all that had to be put back is there. Never throws.
  bool othersAreBack();

 private:
  void note(std::string text) { state_.record.steps.back().note = std::move(text); }
  memory::Memory& part() { return bench_.at(wanted_.memory).memory(); }
  memory::KnownContents& contents() { return bench_.at(wanted_.memory).contents(); }
  std::size_t protectionRegister();

  void readInto(const std::vector<AddressRange>& ranges, StepProgress& progress, const StepProgress::Each& seen = {});
  /// What their checksums tell of blocks without reading them.
  struct Summed {
    RangeSet equal;  ///< to what is planned
    std::vector<std::pair<AddressRange, std::uint64_t>> others;
  };
  Summed sumBlocks(const std::vector<AddressRange>& ranges, StepProgress& progress);
  void readThroughLosses(const std::vector<AddressRange>& ranges, StepProgress& progress);
  void aboutToChange(const AddressRange& range);
  void eraseGroup(std::span<const memory::EraseBlock> blocks, Progress& progress);
  void spotCheck(std::span<const memory::EraseBlock> blocks);
  void requireReadTwice(const std::vector<AddressRange>& ranges, Progress& progress);
  void readAndCompare(const AddressRange& range, Progress& progress);
  /// Two reads from `begin` on. Throws LinkLost with both values where they differ, and then nothing is known any more.
  void requireEqualReads(std::uint64_t begin, ByteSpan once, ByteSpan again);
  RangeSet changedBlocks() const;
  RunNote noteOf(const RangeSet& blocks);
  bool forgetUnlessStillThere();
  std::string putProtectionBack();
  void countDifferences(const AddressRange& piece);
  void requireSteady(const AddressRange& piece);

  const plan::Wanted& wanted_;
  bench::Bench& bench_;
  const RunSeams& seams_;
  RunState& state_;
};

}  // namespace imprimo::run
