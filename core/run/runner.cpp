// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/runner.h"

#include <fmt/format.h>

#include "core/base/number.h"
#include "core/run/folders.h"
#include "core/run/step_runner.h"
#include "core/run/step_worker.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

class Runner {
 public:
  Runner(const Wanted& wanted, Bench& bench, const RunSeams& seams, RunObserver& observer, std::stop_token stop,
         bool dryRun)
      : wanted_(wanted),
        bench_(bench),
        seams_(seams),
        observer_(observer),
        stop_(std::move(stop)),
        dryRun_(dryRun),
        worker_(wanted, bench, seams.backups, state_) {
    Record& record = state_.record;
    record.memory = wanted.memory;
    record.sheet = bench.sheet().path.string();
    record.title = bench.sheet().title;
    record.probe = bench.probe().info().address;
    record.startedAt = utcNow();
    if (wanted.waitSeconds) ++opening_;
    if (wanted.load) ++opening_;
  }

  Record run() {
    Record& record = state_.record;
    try {
      steps();
      conclude();
    } catch (const Error& thrown) {
      const Error e = explained(thrown);
      record.error = e.kind();
      record.outcome = outcomeOf(e.kind(), record.changed);
      record.message = failureMessage(e, record, reached()) + worker_.putProtectionBack();
      if (e.kind() == ErrorKind::Refused && e.at() && wanted_.noErase) noteRefused(*e.at());
    }
    record.erased = state_.erased.ranges();
    record.plan = std::move(state_.plan);
    if (!dryRun_) keepRecord(record, seams_.records);
    observer_.finished(record);
    return std::move(record);
  }

 private:
  void steps() {
    replan(0);
    for (std::size_t i = 0; i < state_.plan.steps.size(); ++i) {
      const StepKind kind = state_.plan.steps[i].kind;
      const bool looks = kind == StepKind::AwaitTarget || kind == StepKind::CheckChain || kind == StepKind::Identify ||
                         kind == StepKind::Read;
      if (dryRun_ && kind == StepKind::LoadBridge && bench_.bridgeAnswers(wanted_.memory)) continue;
      if (dryRun_ && !looks) return planOnPaper(i);
      if (stop_.stop_requested())
        throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", state_.plan.steps[i].title));
      execute(i);
      if (kind == StepKind::Identify || kind == StepKind::Read) replan(i + 1);
    }
  }

  /// A dry run loads no bridge: what lies behind it is planned from what is on paper, at its most.
  void planOnPaper(std::size_t i) {
    if (state_.plan.steps[i].kind != StepKind::LoadBridge) return;
    Knowledge knowledge;
    knowledge.geometry = geometryOnPaper(bench_.sheet(), wanted_.memory);
    knowledge.speed = bench_.speed();
    state_.plan = makePlan(wanted_, knowledge);
    observer_.planned(state_.plan);
  }

  /// Plans with all that is known by now; the first `done` steps ran and stay.
  void replan(std::size_t done) {
    Knowledge knowledge;
    if (done >= opening_) {  // identified in this run
      knowledge = bench_.knowledge(wanted_.memory);
    }
    knowledge.answers = bench_.identified(wanted_.memory);
    knowledge.fresh = state_.fresh;
    knowledge.speed = bench_.speed();
    Plan plan = makePlan(wanted_, knowledge);
    Plan& now = state_.plan;
    std::vector<Step> steps(now.steps.begin(), now.steps.begin() + static_cast<std::ptrdiff_t>(done));
    const bool readDone = done > opening_;
    for (std::size_t i = std::min(done, opening_); i < plan.steps.size(); ++i) {
      if (readDone && plan.steps[i].kind == StepKind::Read) continue;
      steps.push_back(std::move(plan.steps[i]));
    }
    plan.steps = std::move(steps);
    now = std::move(plan);
    observer_.planned(now);
  }

  void execute(std::size_t i) {
    StepProgress progress(observer_, i, stop_);
    const Step& step = state_.plan.steps[i];
    runStep(state_.record, observer_, i, step, [&] { act(i, step, progress); });
  }

  void act(std::size_t i, const Step& step, StepProgress& progress) {
    switch (step.kind) {
      case StepKind::AwaitTarget:
        return bench_.waitForTarget(
            std::chrono::seconds(*wanted_.waitSeconds), [this, i](double left) { observer_.waiting(i, left); }, stop_);
      case StepKind::CheckChain:
        return worker_.checkChain();
      case StepKind::Identify:
        return worker_.identify();
      case StepKind::Read:
        return worker_.read(step, progress);
      case StepKind::Save:
        return worker_.save(step);
      case StepKind::Unprotect:
      case StepKind::Protect:
        return worker_.setProtection(step);
      case StepKind::Renew:
        return worker_.renew(step, progress);
      case StepKind::Erase:
        return worker_.erase(step, progress);
      case StepKind::Write:
        return worker_.write(step, progress);
      case StepKind::Trial:
        return worker_.trial(step, progress);
      case StepKind::Confirm:
        return worker_.confirm(step, progress);
      case StepKind::Look:
        return worker_.look();
      case StepKind::LoadBridge:
        return worker_.loadBridge(progress);
      case StepKind::Configure:
      case StepKind::Play:
        return;  // never in a memory's plan
      case StepKind::Restart:
        return worker_.restart();
    }
  }

  /// What fails because the target has gone is told as that.
  Error explained(const Error& error) {
    const auto* broken = dynamic_cast<const jtag::BrokenChain*>(&error);
    if (broken != nullptr && (broken->dead() || broken->how() == jtag::BrokenChain::How::Cut)) return error;
    switch (error.kind()) {
      case ErrorKind::BrokenChain:
      case ErrorKind::LinkLost:
      case ErrorKind::NoBridge:
      case ErrorKind::UnknownFlash:
      case ErrorKind::Refused:
      case ErrorKind::NotErased:
      case ErrorKind::NotProgrammed:
        break;
      default:
        return error;
    }
    if (error.kind() != ErrorKind::BrokenChain && state_.record.steps.size() < opening_) return error;
    try {
      bench_.requireAlive();
    } catch (Error& gone) {
      if (gone.kind() != ErrorKind::BrokenChain) return error;
      if (error.at()) gone.setAt(*error.at());
      return gone;
    }
    return error;
  }

  Reached reached() const {
    Reached r{state_.erased, state_.written, {}};
    for (const Step& step : state_.plan.steps) {
      for (const memory::PageWrite& page : step.pages) {
        if (state_.erased.contains(page.range())) r.unwritten.add(page.range());
      }
    }
    for (const AddressRange& range : state_.written.ranges()) r.unwritten.remove(range);
    return r;
  }

  void noteRefused(std::uint64_t address) {
    const auto found = bench_.contents(wanted_.memory).at(address);
    const auto expected = wanted_.image.at(address);
    if (found && expected) state_.record.first = Difference{address, *expected, *found};
  }

  void conclude() {
    Record& record = state_.record;
    record.outcome = dryRun_ ? Outcome::Planned : outcomeOf(wanted_, record);
    record.message = successMessage(wanted_, record, state_.plan, state_.erased) + state_.cameUp;
    if (wanted_.load && !dryRun_ && !wanted_.restart && wanted_.task != Task::Reach)
      record.message += fmt::format(" {} is a bridge now; restart it for its own design.", wanted_.load->part);
  }

  const Wanted& wanted_;
  Bench& bench_;
  const RunSeams& seams_;
  RunObserver& observer_;
  std::stop_token stop_;
  bool dryRun_;

  std::size_t opening_ = 2;  // steps before contents count: to check the chain and to identify, and what some runs add
  RunState state_;
  StepWorker worker_;
};

}  // namespace

void keepRecord(Record& record, RecordSink& sink) {
  try {
    sink.keep(record);
  } catch (const Error& e) {
    record.message += fmt::format(" (The record could not be kept: {}.)", e.what());
  }
}

Record carryOut(const Wanted& wanted, Bench& bench, const RunSeams& seams, RunObserver& observer, std::stop_token stop,
                bool dryRun) {
  return Runner(wanted, bench, seams, observer, std::move(stop), dryRun).run();
}

}  // namespace imprimo::run
