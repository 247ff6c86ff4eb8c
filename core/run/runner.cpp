// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/runner.h"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

#include "core/base/number.h"
#include "core/base/utc.h"
#include "core/bench/memory_kinds.h"
#include "core/image/checksum.h"
#include "core/plan/step_kinds.h"
#include "core/run/earlier_run.h"
#include "core/run/knowledge.h"
#include "core/run/step_gate.h"
#include "core/run/step_runner.h"
#include "core/run/step_worker.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

class Runner {
 public:
  Runner(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
         std::stop_token stop, RunExtent extent)
      : wanted_(wanted),
        bench_(bench),
        seams_(seams),
        observer_(observer),
        stop_(std::move(stop)),
        extent_(std::move(extent)),
        worker_(wanted, bench, seams, state_) {
    beginRecord(state_.record, bench);
    state_.record.memory = wanted.memory;
    if (wanted.waitSeconds) ++opening_;
    if (wanted.load) ++opening_;
    state_.unfinishedBefore = wanted.finishes;
  }

  RecordPtr run() {
    Record& record = state_.record;
    try {
      guarded([this] {
        steps();
        if (!state_.claims) leaveMemory();
        conclude();
      });
    } catch (const Error& thrown) {
      const Error e = explained(thrown);
      record.fails(e);
      record.unfinishedWork = dynamic_cast<const UnfinishedWork*>(&thrown) != nullptr;
      const bool back = e.kind() != ErrorKind::LinkLost && e.kind() != ErrorKind::BrokenChain && !state_.claims &&
                        !state_.note.path.empty() && worker_.othersAreBack();
      addHashes();
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
    return finishRecord(std::move(record), seams_.records, observer_);
  }

 private:
  void steps() {
    replan(0);
    for (std::size_t i = 0; i < state_.plan->steps.size(); ++i) {
      const plan::Step& step = state_.plan->steps[i];
      const plan::StepKind kind = step.kind;
      const RunExtent::Next next = extent_.next(step);
      if (next == RunExtent::Skip) continue;
      if (next == RunExtent::End) return planOnPaper(i);
      if (stop_.stop_requested()) throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", step.title));
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
    state_.changePlan([&](plan::Plan& plan) {
      plan.steps.resize(at);
      plan.steps.push_back(finishStep(earlier_));
    });
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
    addHashes();
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

  /// Where no bridge is loaded, what lies behind it is planned from what is on paper, at its most.
  void planOnPaper(std::size_t i) {
    if (state_.plan->steps[i].kind != plan::StepKind::LoadBridge) return;
    plan::Knowledge knowledge;
    knowledge.geometry = bench::geometryOnPaper(bench_.sheet(), wanted_.memory);
    knowledge.speed = bench_.at(wanted_.memory).speed();
    state_.plan = std::make_shared<plan::Plan>(plan::makePlan(wanted_, knowledge));
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
    const plan::Plan& now = *state_.plan;
    std::vector<plan::Step> steps(now.steps.begin(), now.steps.begin() + static_cast<std::ptrdiff_t>(done));
    const bool readDone = done > opening_ + inserted_;
    for (std::size_t i = std::min(done, opening_); i < plan.steps.size(); ++i) {
      if (readDone && plan.steps[i].kind == plan::StepKind::Read) continue;
      steps.push_back(std::move(plan.steps[i]));
    }
    plan.steps = std::move(steps);
    state_.plan = std::make_shared<plan::Plan>(std::move(plan));
    observer_.planned(state_.plan);
  }

  void execute(std::size_t i) {
    StepProgress progress(observer_, i, stop_);
    const plan::PlanPtr plan = state_.plan;  // a step may make another one
    const plan::Step& step = plan->steps[i];
    at_ = i;
    runStep(state_.record, observer_, i, step, [&] {
      const Act& act = actOf(step.kind);
      if (act.changes) worker_.prepareChange(progress);
      act.carryOut(*this, step, progress);
    });
  }

  /// How steps of a kind are carried out; before one that changes the memory, all that will change is read and noted.
  struct Act {
    plan::StepKind kind;
    bool changes;
    void (*carryOut)(Runner&, const plan::Step&, StepProgress&);
  };

  static const Act& actOf(plan::StepKind kind) {
    using Kind = plan::StepKind;
    using Step = plan::Step;
    static constexpr Act kActs[] = {
        {Kind::AwaitTarget, false, [](Runner& r, const Step&, StepProgress&) { r.await(); }},
        {Kind::CheckChain, false, [](Runner& r, const Step&, StepProgress&) { r.worker_.checkChain(); }},
        {Kind::LoadBridge, false, [](Runner& r, const Step&, StepProgress& p) { r.worker_.loadBridge(p); }},
        {Kind::Identify, false, [](Runner& r, const Step&, StepProgress&) { r.worker_.identify(); }},
        {Kind::Finish, false, [](Runner& r, const Step&, StepProgress&) { r.finishEarlierRuns(); }},
        {Kind::Read, false, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.read(s, p); }},
        {Kind::Compare, false, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.readAgain(s, p); }},
        {Kind::Save, false, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.save(s, p); }},
        {Kind::Unprotect, true, [](Runner& r, const Step& s, StepProgress&) { r.worker_.setProtection(s); }},
        {Kind::Renew, true, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.renew(s, p); }},
        {Kind::Erase, true, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.erase(s, p); }},
        {Kind::Write, true, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.write(s, p); }},
        {Kind::Trial, true, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.trial(s, p); }},
        {Kind::SetRegister, false, [](Runner& r, const Step& s, StepProgress&) { r.worker_.setRegister(s); }},
        {Kind::Protect, false, [](Runner& r, const Step& s, StepProgress&) { r.worker_.setProtection(s); }},
        {Kind::Confirm, false, [](Runner& r, const Step& s, StepProgress& p) { r.worker_.confirm(s, p); }},
        {Kind::Look, false, [](Runner& r, const Step&, StepProgress&) { r.worker_.look(); }},
        {Kind::Restart, false, [](Runner& r, const Step&, StepProgress&) { r.restart(); }},
        {Kind::Hear, false, [](Runner& r, const Step&, StepProgress&) { r.worker_.hear(r.stop_); }},
        {Kind::Watch, false, [](Runner& r, const Step&, StepProgress&) { r.worker_.watch(r.stop_); }},
    };
    for (const Act& act : kActs) {
      if (act.kind == kind) return act;
    }
    throw std::logic_error("a step that no memory has");
  }

  void await() {
    bench_.waitForTarget(
        std::chrono::seconds(*wanted_.waitSeconds), [this](double left) { observer_.waiting(at_, left); }, stop_);
  }

  void restart() {
    leaveMemory();
    worker_.restart();
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
      if (error.at()) gone.stoodAt(*error.at());
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

    for (const plan::Step& step : state_.plan->steps) {
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
    if (found && expected) state_.record.first = Difference{address, *expected, *found, isSecret(wanted_, address)};
  }

  /// Of what was planned, and of what stands there now as far as all of it is known.
  void addHashes() {
    Record& record = state_.record;
    if (!record.plannedHash.empty() || wanted_.image.empty() || !bench_.identified(wanted_.memory)) return;
    const memory::KnownContents& contents = bench_.at(wanted_.memory).contents();
    Checksum planned(*checksumNamed("sha256")), found(*checksumNamed("sha256"));
    bool known = true;
    for (const MemoryImage::Segment& segment : wanted_.image.segments()) {
      planned.add(segment.bytes);
      known = known && contents.isSure(segment.range());
      if (known) found.add(contents.bytes(segment.range()));
    }
    record.plannedHash = digitsOf(planned.result());
    if (known) record.foundHash = digitsOf(found.result());
  }

  void conclude() {
    Record& record = state_.record;
    record.claims = *state_.claims;
    record.outcome = extent_.outcome ? *extent_.outcome : outcomeOf(wanted_, record);
    record.message = successMessage(wanted_, record, *state_.plan, state_.erased) + state_.cameUp;
    if (!record.noteTrouble.empty()) record.message += " (" + record.noteTrouble + ")";
    const bool loaded = std::any_of(record.steps.begin(), record.steps.end(), [](const RanStep& ran) {
      return ran.step.kind == plan::StepKind::LoadBridge && ran.finished;
    });
    if (loaded && !wanted_.restart && wanted_.task != plan::Task::Reach)
      record.message += fmt::format(" {} is a bridge now; restart it for its own design.", wanted_.load->part);
  }

  const plan::Wanted& wanted_;
  bench::Bench& bench_;
  const RunSeams& seams_;
  RunObserver& observer_;
  std::stop_token stop_;
  RunExtent extent_;

  std::vector<RunNote> earlier_;  // of this memory
  std::size_t inserted_ = 0;      // steps behind the opening that no planner made
  std::size_t opening_ = 2;  // steps before contents count: to check the chain and to identify, and what some runs add
  std::size_t at_ = 0;       // the step that goes on
  RunState state_;
  StepWorker worker_;
};

}  // namespace

namespace {

double clockSeconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

}  // namespace

double secondsSince(const Record& record) {
  return record.startedClock > 0 ? clockSeconds() - record.startedClock : 0;
}

void beginRecord(Record& record, bench::Bench& bench) {
  record.sheet = bench.sheet().path.string();
  record.title = bench.sheet().title;
  record.probe = bench.probe().info().address;
  record.probeSerial = bench.probe().info().serial;
  record.startedAt = utcNow();
  record.startedClock = clockSeconds();
}

void keepRecord(Record& record, RecordSink& sink) {
  try {
    sink.keep(record);
  } catch (const Error& e) {
    record.message += fmt::format(" (The record could not be kept: {}.)", e.what());
  }
}

RecordPtr finishRecord(Record record, RecordSink& sink, RunObserver& observer) {
  record.seconds = secondsSince(record);
  keepRecord(record, sink);
  const auto shared = std::make_shared<const Record>(std::move(record));
  observer.finished(shared);
  return shared;
}

RecordPtr carryOut(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
                   std::stop_token stop) {
  return Runner(wanted, bench, seams, observer, std::move(stop), {}).run();
}

RecordPtr dryRun(const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
                 std::stop_token stop) {
  NoRecords noRecords;
  ReadOnlyNotes notes(seams.notes);
  const RunSeams nothing{seams.backups, noRecords, notes};
  const auto next = [&](const plan::Step& step) {
    if (plan::traitsOf(step.kind).looks) return RunExtent::CarryOut;
    const bool there = step.kind == plan::StepKind::LoadBridge && bench.at(wanted.memory).routeAnswers();
    return there || step.kind == plan::StepKind::Finish ? RunExtent::Skip : RunExtent::End;
  };
  return Runner(wanted, bench, nothing, observer, std::move(stop), {next, Outcome::Planned}).run();
}

}  // namespace imprimo::run
