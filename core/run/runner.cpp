// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/runner.h"
#include "core/run/knowledge.h"

#include <fmt/format.h>

#include "core/base/number.h"
#include "core/base/utc.h"
#include "core/bench/memory_kinds.h"
#include "core/run/earlier_run.h"
#include "core/run/step_runner.h"
#include "core/run/step_worker.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

class Runner {
 public:
  Runner(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
         std::stop_token stop, bool dryRun)
      : wanted_(wanted),
        bench_(bench),
        seams_(seams),
        observer_(observer),
        stop_(std::move(stop)),
        dryRun_(dryRun),
        worker_(wanted, bench, seams, state_) {
    Record& record = state_.record;
    record.memory = wanted.memory;
    record.sheet = bench.sheet().path.string();
    record.title = bench.sheet().title;
    record.probe = bench.probe().info().address;
    record.startedAt = utcNow();
    if (wanted.waitSeconds) ++opening_;
    if (wanted.load) ++opening_;
    state_.unfinishedBefore = wanted.finishes;
  }

  Record run() {
    Record& record = state_.record;
    try {
      guarded([this] {
        steps();
        if (!state_.claims) leaveMemory();
        conclude();
      });
    } catch (const Error& thrown) {
      const Error e = explained(thrown);
      record.error = e.kind();
      record.unfinishedWork = dynamic_cast<const UnfinishedWork*>(&thrown) != nullptr;
      const bool back = e.kind() != ErrorKind::LinkLost && e.kind() != ErrorKind::BrokenChain && !state_.claims &&
                        !state_.note.path.empty() && worker_.othersAreBack();
      const std::string putBack = worker_.putBack();
      // Behind a restart nothing more can be asked; what was proven before it holds.
      if (!state_.claims) state_.claims = worker_.claims();
      record.claims = *state_.claims;
      record.outcome = outcomeOf(e.kind(), record.changed);
      record.message = failureMessage(e, record, reached()) + putBack;
      if (e.kind() == ErrorKind::Refused && e.at() && wanted_.noErase) noteRefused(*e.at());
      settleNote(back);
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
      const plan::StepKind kind = state_.plan.steps[i].kind;
      const bool looks = kind == plan::StepKind::AwaitTarget || kind == plan::StepKind::CheckChain ||
                         kind == plan::StepKind::Identify || kind == plan::StepKind::Read;
      if (dryRun_ && kind == plan::StepKind::LoadBridge && bench_.at(wanted_.memory).routeAnswers()) continue;
      if (dryRun_ && kind == plan::StepKind::Finish) continue;
      if (dryRun_ && !looks) return planOnPaper(i);
      if (stop_.stop_requested())
        throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", state_.plan.steps[i].title));
      execute(i);
      if (kind == plan::StepKind::Identify) {
        lookForEarlier(i + 1);
        replan(i + 1 + inserted_);
      } else if (kind == plan::StepKind::Finish || kind == plan::StepKind::Read) {
        replan(i + 1);
      }
    }
  }

  /// Work that an earlier run left unfinished comes first; who only looks is told of it.
  void lookForEarlier(std::size_t at) {
    earlier_ = earlierRuns(seams_.notes, bench_.at(wanted_.memory).copyOf(false));
    if (earlier_.empty()) return;
    state_.unfinishedBefore = true;
    for (const RunNote& note : earlier_) state_.record.earlier.push_back(earlierText(note));
    if (!plan::changesMemory(wanted_.task)) {
      std::string& text = state_.record.steps.back().note;
      for (const std::string& earlier : state_.record.earlier) text += "; " + earlier;
      return;
    }
    state_.plan.steps.resize(at);
    state_.plan.steps.push_back(finishStep(earlier_));
    inserted_ = 1;
  }

  void finishEarlierRuns() {
    std::string text;
    for (const RunNote& note : earlier_) {
      const std::string done = finishEarlier(note, wanted_, bench_, seams_, stop_);
      if (!done.empty()) text += (text.empty() ? "" : "; ") + done;
    }
    state_.record.steps.back().note = text.empty() ? "it is about another board" : text;
  }

  /// The last that is asked of the memory: what can be said of it, then its modes are put back and the note is closed.
  void leaveMemory() {
    if (dryRun_) {
      worker_.putBack();
      state_.claims.emplace();
      return;
    }
    Claims claims = worker_.claims();
    const std::string text = worker_.putBack();
    if (!text.empty() && !state_.record.steps.empty()) state_.record.steps.back().note += text;
    claims.modes = state_.record.modesLeft;
    state_.claims = std::move(claims);
    settleNote(true);
  }

  /// A note is closed where all that had to be put back was confirmed, or nothing came of the change. What could not be
  /// put back keeps it.
  void settleNote(bool othersConfirmed) {
    RunNote& note = state_.note;
    try {
      if (othersConfirmed || state_.addressed.empty()) {
        note.others = note.kept = {};
        // A protection is put back only on the board that it was cleared on, which its blocks and witnesses tell.
        if (!note.protection) note.blocks = {};
      }
      const bool pending = !note.blocks.empty() || note.protection || !note.modes.empty();
      if (!pending) return seams_.notes.close(note);
      if (note.path.empty()) {
        if (!bench_.identified(wanted_.memory)) return;
        note.begun = state_.record.startedAt;
        note.of = bench_.at(wanted_.memory).copyOf(false);
        note.sheetFile = state_.record.sheet;
      }
      note.process.clear();  // nobody is at it any more
      seams_.notes.put(note);
    } catch (const Error& e) {
      state_.record.noteTrouble = e.full();
    }
  }

  /// A dry run loads no bridge: what lies behind it is planned from what is on paper, at its most.
  void planOnPaper(std::size_t i) {
    if (state_.plan.steps[i].kind != plan::StepKind::LoadBridge) return;
    plan::Knowledge knowledge;
    knowledge.geometry = bench::geometryOnPaper(bench_.sheet(), wanted_.memory);
    knowledge.speed = bench_.at(wanted_.memory).speed();
    state_.plan = plan::makePlan(wanted_, knowledge);
    observer_.planned(state_.plan);
  }

  /// Plans with all that is known by now; the first `done` steps ran and stay.
  void replan(std::size_t done) {
    plan::Knowledge knowledge;
    if (done >= opening_) {  // identified in this run
      knowledge = knowledgeOf(bench_, wanted_.memory);
    }
    knowledge.answers = bench_.identified(wanted_.memory);
    knowledge.fresh = state_.fresh;
    knowledge.speed = bench_.at(wanted_.memory).speed();
    plan::Plan plan = plan::makePlan(wanted_, knowledge);
    plan::Plan& now = state_.plan;
    std::vector<plan::Step> steps(now.steps.begin(), now.steps.begin() + static_cast<std::ptrdiff_t>(done));
    const bool readDone = done > opening_ + inserted_;
    for (std::size_t i = std::min(done, opening_); i < plan.steps.size(); ++i) {
      if (readDone && plan.steps[i].kind == plan::StepKind::Read) continue;
      steps.push_back(std::move(plan.steps[i]));
    }
    plan.steps = std::move(steps);
    now = std::move(plan);
    observer_.planned(now);
  }

  void execute(std::size_t i) {
    StepProgress progress(observer_, i, stop_);
    const plan::Step& step = state_.plan.steps[i];
    runStep(state_.record, observer_, i, step, [&] { act(i, step, progress); });
  }

  void act(std::size_t i, const plan::Step& step, StepProgress& progress) {
    switch (step.kind) {
      case plan::StepKind::AwaitTarget:
        return bench_.waitForTarget(
            std::chrono::seconds(*wanted_.waitSeconds), [this, i](double left) { observer_.waiting(i, left); }, stop_);
      case plan::StepKind::CheckChain:
        return worker_.checkChain();
      case plan::StepKind::Identify:
        return worker_.identify();
      case plan::StepKind::Finish:
        return finishEarlierRuns();
      case plan::StepKind::Read:
        return worker_.read(step, progress);
      case plan::StepKind::Save:
        return worker_.save(step, progress);
      case plan::StepKind::Unprotect:
        worker_.prepareChange(progress);
        return worker_.setProtection(step);
      case plan::StepKind::Protect:
        return worker_.setProtection(step);
      case plan::StepKind::Renew:
        worker_.prepareChange(progress);
        return worker_.renew(step, progress);
      case plan::StepKind::Erase:
        worker_.prepareChange(progress);
        return worker_.erase(step, progress);
      case plan::StepKind::Write:
        worker_.prepareChange(progress);
        return worker_.write(step, progress);
      case plan::StepKind::Trial:
        worker_.prepareChange(progress);
        return worker_.trial(step, progress);
      case plan::StepKind::Confirm:
        return worker_.confirm(step, progress);
      case plan::StepKind::Look:
        return worker_.look();
      case plan::StepKind::LoadBridge:
        return worker_.loadBridge(progress);
      case plan::StepKind::Configure:
      case plan::StepKind::Play:
        return;  // never in the plan of a memory on the bench
      case plan::StepKind::Compare:
        return worker_.readAgain(step, progress);
      case plan::StepKind::Restart:
        leaveMemory();
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
    Reached r{state_.erased, state_.written, {}, {}, state_.pattern, wanted_.keep, state_.note.others};
    r.uncertain = state_.addressed;
    for (const RangeSet* known : {&state_.erased, &state_.written}) {
      for (const AddressRange& range : known->ranges()) r.uncertain.remove(range);
    }

    for (const plan::Step& step : state_.plan.steps) {
      for (const memory::PageWrite& page : step.pages) {
        if (state_.erased.contains(page.range())) r.unwritten.add(page.range());
      }
    }
    for (const AddressRange& range : state_.written.ranges()) r.unwritten.remove(range);
    return r;
  }

  void noteRefused(std::uint64_t address) {
    const auto found = bench_.at(wanted_.memory).contents().at(address);
    const auto expected = wanted_.image.at(address);
    if (found && expected) state_.record.first = Difference{address, *expected, *found};
  }

  void conclude() {
    Record& record = state_.record;
    record.claims = *state_.claims;
    record.outcome = dryRun_ ? Outcome::Planned : outcomeOf(wanted_, record);
    record.message = successMessage(wanted_, record, state_.plan, state_.erased) + state_.cameUp;
    if (!record.noteTrouble.empty()) record.message += " (" + record.noteTrouble + ")";
    if (wanted_.load && !dryRun_ && !wanted_.restart && wanted_.task != plan::Task::Reach)
      record.message += fmt::format(" {} is a bridge now; restart it for its own design.", wanted_.load->part);
  }

  const plan::Wanted& wanted_;
  bench::Bench& bench_;
  const RunSeams& seams_;
  RunObserver& observer_;
  std::stop_token stop_;
  bool dryRun_;

  std::vector<RunNote> earlier_;  // of this memory
  std::size_t inserted_ = 0;      // steps behind the opening that no planner made
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

Record carryOut(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
                std::stop_token stop, bool dryRun) {
  return Runner(wanted, bench, seams, observer, std::move(stop), dryRun).run();
}

}  // namespace imprimo::run
