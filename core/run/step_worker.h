// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

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
    observer_.advanced(step_, range, done_);
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
  Plan plan;
  Record record;
  RangeSet fresh;      ///< read in this run
  RangeSet erased;     ///< erased in this run, as far as the spot check tells
  RangeSet written;    ///< programmed in this run
  std::string cameUp;  ///< what became of the part behind a restart, for the message
  MemoryImage before;  ///< what changed addresses held before
  /// The protection register's name and what it held, while it may hold something else.
  std::optional<std::pair<std::string, std::uint8_t>> protectionBefore;
};

/// Carries out single steps of a plan; the only code of a run that sends anything to a memory.
class StepWorker {
 public:
  StepWorker(const Wanted& wanted, Bench& bench, BackupStore& backups, RunState& state)
      : wanted_(wanted), bench_(bench), backups_(backups), state_(state) {}

  void checkChain();
  void loadBridge(StepProgress& progress);
  void restart();
  void identify();
  void read(const Step& step, StepProgress& progress);
  void save(const Step& step);
  void setProtection(const Step& step);
  void renew(const Step& step, StepProgress& progress);
  void erase(const Step& step, StepProgress& progress);
  void write(const Step& step, StepProgress& progress);
  void trial(const Step& step, StepProgress& progress);
  void confirm(const Step& step, StepProgress& progress);
  void look();

  /// After a failure: puts the protection back where the run took it away. Never throws; what came of it is returned,
  /// empty when there was nothing to do.
  std::string putProtectionBack();

 private:
  void note(std::string text) { state_.record.steps.back().note = std::move(text); }
  memory::Memory& part() { return bench_.memory(wanted_.memory); }
  MemoryImage& contents() { return bench_.contents(wanted_.memory); }
  std::size_t protectionRegister();

  void readInto(const std::vector<AddressRange>& ranges, StepProgress& progress, const StepProgress::Each& seen = {});
  void readThroughLosses(const std::vector<AddressRange>& ranges, StepProgress& progress);
  void aboutToChange(const AddressRange& range);
  void eraseGroup(std::span<const memory::EraseBlock> blocks, Progress& progress);
  void spotCheck(std::span<const memory::EraseBlock> blocks);
  void requireSameAsKnown(const AddressRange& block);
  void requireSamplesAsKnown(const std::vector<AddressRange>& ranges);
  bool forgetUnlessStillThere();
  void countDifferences(const AddressRange& piece);
  void requireSteady(const AddressRange& piece);

  const Wanted& wanted_;
  Bench& bench_;
  BackupStore& backups_;
  RunState& state_;
};

}  // namespace imprimo::run
