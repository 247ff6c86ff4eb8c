// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/configure_runner.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/number.h"
#include "core/bsdl/lexer.h"
#include "core/run/folders.h"
#include "core/run/plan_steps.h"
#include "core/run/step_runner.h"
#include "core/run/step_worker.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

bool isAction(const ConfigureWish& wish, std::string_view name) {
  return bsdl::sameWord(wish.action, name);
}

std::set<std::string> upper(const std::set<std::string>& names) {
  std::set<std::string> result;
  for (const std::string& name : names) result.insert(bsdl::upperCase(name));
  return result;
}

void addOpening(Plan& plan, const std::optional<std::uint32_t>& waitSeconds) {
  if (waitSeconds) addAwaitStep(plan, *waitSeconds);
  addCheckStep(plan);
}

class ConfigureRunner {
 public:
  ConfigureRunner(ConfigureJob& job, Bench& bench, RecordSink& records, RunObserver& observer, std::stop_token stop,
                  bool dryRun)
      : job_(job), bench_(bench), records_(records), observer_(observer), stop_(std::move(stop)), dryRun_(dryRun) {
    begin(record_, bench);
    record_.device = job.config->target.name;
  }

  Record run() {
    observer_.planned(job_.plan);
    try {
      for (std::size_t i = 0; i < job_.plan.steps.size() && !answer_; ++i) {
        const Step& step = job_.plan.steps[i];
        if (dryRun_ && step.kind != StepKind::AwaitTarget && step.kind != StepKind::CheckChain) break;
        if (stop_.stop_requested()) throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", step.title));
        StepProgress progress(observer_, i, stop_);
        runStep(record_, observer_, i, step, [&] { act(i, step, progress); });
      }
      conclude();
    } catch (const Error& e) {
      fail(e);
    }
    record_.plan = job_.plan;
    if (!dryRun_) keepRecord(record_, records_);
    observer_.finished(record_);
    return std::move(record_);
  }

  static void begin(Record& record, Bench& bench) {
    record.sheet = bench.sheet().path.string();
    record.title = bench.sheet().title;
    record.probe = bench.probe().info().address;
    record.startedAt = utcNow();
  }

 private:
  const std::string& name() const { return record_.device; }

  void act(std::size_t i, const Step& step, StepProgress& progress) {
    switch (step.kind) {
      case StepKind::AwaitTarget:
        return bench_.waitForTarget(
            std::chrono::seconds(*job_.wish.waitSeconds), [this, i](double left) { observer_.waiting(i, left); },
            stop_);
      case StepKind::CheckChain: {
        const jtag::FoundChain found = bench_.checkChain();
        requireUnsecured();
        return note(fmt::format("{}, as the sheet has them", countText(found.parts.size(), "part")));
      }
      case StepKind::Look:
        record_.parts = {bench_.lookAtPart(job_.config->target.position)};
        return note(record_.parts.front().text);
      case StepKind::Restart:
        record_.parts = bench_.restart();
        return note(record_.parts.empty() ? "reset pulsed" : record_.parts.front().text);
      default:
        return stage(next_++, step, progress);
    }
  }

  void note(std::string text) { record_.steps.back().note = std::move(text); }

  void stage(std::size_t i, const Step& step, StepProgress& progress) {
    const configure::Stage& stage = job_.procedure->stages().at(i);
    record_.changed = record_.changed || stage.changes;
    entered_ = true;
    const configure::StageResult result = job_.procedure->carryOut(i, bench_.chain(), progress);
    record_.bits += step.bits;
    note(result.note);
    if (!result.mismatch) return;
    mismatch_ = result.mismatch;
    leave();
    const bool verifies = isAction(job_.wish, "verify");
    if (!record_.changed && (isAction(job_.wish, "blank_check") || (verifies && stage.confirms))) {
      answer_ = verifies ? Outcome::Mismatch : Outcome::NotBlank;
      return;
    }
    throw Error(record_.changed ? ErrorKind::NotProgrammed : ErrorKind::Refused, mismatch_->text(), mismatchRemedy());
  }

  void leave() {
    if (!entered_) return;
    try {
      job_.procedure->leave(bench_.chain());
    } catch (const Error&) {
      // What made it necessary is told; that the part could not be put in order follows from it.
    }
  }

  /// A part that is known to be secured gives zeros and takes nothing; only an erase helps.
  void requireUnsecured() {
    const auto& card = job_.config->card;
    const auto& stages = job_.procedure->stages();
    if (!card || !card->secured || job_.config->byCard()) return;
    const bool erases = std::any_of(stages.begin(), stages.end(), [](const configure::Stage& s) { return s.erases; });
    if (erases) return;
    const auto state = configure::lookAt(job_.config->target, &*card, bench_.chain());
    if (!state.status || !card->secured->holds(*state.status)) return;
    throw Error(ErrorKind::Refused,
                fmt::format("{} is secured: what it holds cannot be read, nor programmed anew", name()),
                "Erasing it unlocks it, and destroys what is in it.");
  }

  std::string mismatchRemedy() const {
    if (looksSecured()) {
      return fmt::format(
          "All that came out is {}: it looks as if the part is secured (a guess). Erasing it unlocks it, "
          "and destroys what is in it.",
          *mismatch_->allAlike() ? "ones" : "zeros");
    }
    if (!record_.changed)
      return "Nothing was changed. It is another part than its BSDL file describes, or the file is for another.";
    return "It may be worn out, its supply too low, or the file made for another part.";
  }

  void conclude() {
    record_.outcome = answer_ ? *answer_ : dryRun_ ? Outcome::Planned : outcome();
    record_.message = answer_ ? answerText() : successText();
  }

  std::string answerText() const {
    std::string text =
        fmt::format("{} {}: {}.", name(), answer_ == Outcome::Mismatch ? "differs from the file" : "is not blank",
                    mismatch_->text());
    if (looksSecured() && answer_ == Outcome::Mismatch) text += " " + mismatchRemedy();
    return text;
  }

  /// All bits of a row alike is what a part shows that does not let itself be read.
  bool looksSecured() const { return mismatch_->found.size() > 32 && mismatch_->allAlike().has_value(); }

  Outcome outcome() const {
    if (isAction(job_.wish, "verify")) return Outcome::Match;
    if (isAction(job_.wish, "blank_check")) return Outcome::Blank;
    if (isAction(job_.wish, "erase")) return Outcome::Erased;
    if (isAction(job_.wish, "read")) return Outcome::Read;
    if (!isAction(job_.wish, "program")) return Outcome::Done;
    const auto& stages = job_.procedure->stages();
    const bool confirmed =
        std::any_of(stages.begin(), stages.end(), [](const configure::Stage& s) { return s.confirms; });
    return confirmed ? Outcome::Verified : Outcome::Configured;
  }

  std::string successText() {
    if (record_.outcome == Outcome::Planned) {
      return fmt::format("{}: {} to shift, about {}; nothing was changed.", name(), bitsText(job_.plan.bits()),
                         durationText(job_.plan.seconds()));
    }
    if (!job_.wish.output.empty()) {
      writeFileAtomically(job_.wish.output,
                          iscDataText(job_.config->target.part->entity, "array", job_.procedure->output()));
    }
    std::string text = name();
    switch (record_.outcome) {
      case Outcome::Match:
        text += fmt::format(" holds what is in {}: {} compared.", job_.data->file, bitsText(record_.bits));
        break;
      case Outcome::Blank:
        text += " is blank.";
        break;
      case Outcome::Erased:
        text += " is erased.";
        break;
      case Outcome::Read:
        text += fmt::format(": {} read.", bitsText(record_.bits));
        break;
      case Outcome::Verified:
        text += fmt::format(" holds {} now, confirmed by reading back.", job_.data ? job_.data->file : "it");
        break;
      case Outcome::Configured:
        text += job_.data ? fmt::format(" took {} ({}).", job_.data->file, bitsText(job_.data->bits())) : " took it.";
        break;
      default:
        text += fmt::format(": {} is done.", job_.wish.action);
    }
    if (!record_.parts.empty() && !record_.parts.front().text.empty())
      text += " It says: " + record_.parts.front().text + ".";
    for (const std::string& warning : job_.warnings) text += " " + warning;
    return text;
  }

  void fail(const Error& thrown) {
    Error error = thrown;
    if (error.kind() != ErrorKind::Stopped && error.kind() != ErrorKind::BadFile && error.kind() != ErrorKind::Usage &&
        error.kind() != ErrorKind::ChainMismatch) {
      try {
        bench_.requireAlive();
      } catch (const Error& gone) {
        if (gone.kind() == ErrorKind::BrokenChain) error = gone;
      }
    }
    if (error.kind() == ErrorKind::Stopped || error.kind() == ErrorKind::NotProgrammed) leave();
    record_.error = error.kind();
    record_.outcome = outcomeOf(error.kind(), record_.changed);
    record_.message = error.full();
    if (!record_.message.ends_with('.')) record_.message += '.';
    if (record_.message.find("othing was") == std::string::npos) record_.message += " " + whatItIsNow(error);
  }

  /// After a failure: what the part is now, as far as can be known.
  std::string whatItIsNow(const Error& error) {
    if (!record_.changed) return "Nothing was changed.";
    const bool gone = error.kind() == ErrorKind::BrokenChain || error.kind() == ErrorKind::LinkLost;
    if (!gone) {
      try {
        record_.parts = {bench_.lookAtPart(job_.config->target.position)};
        const PartReport& part = record_.parts.front();
        return fmt::format("{} now{}{}: configure it again.", name(),
                           part.runs == false ? " has no design that runs" : " is not to be relied on",
                           part.text.empty() ? "" : " (" + part.text + ")");
      } catch (const Error&) {
        // Then it is as with one that is gone.
      }
    }
    const bool keeps =
        !job_.config->byCard() && std::any_of(job_.procedure->stages().begin(), job_.procedure->stages().end(),
                                              [](const auto& s) { return s.erases; });
    return keeps ? fmt::format("{} is programmed in part, and does not work until it is programmed whole.", name())
                 : fmt::format("{} has no whole design until it is configured again.", name());
  }

  ConfigureJob& job_;
  Bench& bench_;
  RecordSink& records_;
  RunObserver& observer_;
  std::stop_token stop_;
  bool dryRun_;
  Record record_;
  std::size_t next_ = 0;
  bool entered_ = false;
  std::optional<configure::Mismatch> mismatch_;
  std::optional<Outcome> answer_;  // no
};

bool putsUsercode(const bsdl::IscDescription& isc, const bsdl::IscName& procedure) {
  for (const bsdl::IscName& flow : isc.procedure(procedure)->flows) {
    const bool code = bsdl::sameWord(flow.data, "USERCODE") || bsdl::sameWord(procedure.data, "USERCODE");
    if (code && isc.flow(flow)->writesInput()) return true;
  }
  return false;
}

/// A user code that the file has goes in with the rest, where the part has a procedure of choice for it.
void addUsercode(ConfigureWish& wish, const PartConfig& part, const configure::ConfigData* data) {
  if (!isAction(wish, "program") || data == nullptr || data->section("USERCODE") == nullptr || !part.description->isc)
    return;
  const bsdl::IscAction* action = part.description->isc->action("program");
  if (action == nullptr) return;
  for (const bsdl::IscAction::Use& use : action->procedures) {
    const bool left = upper(wish.without).contains(bsdl::upperCase(use.procedure.name));
    if (!left && use.need == bsdl::IscAction::Use::Need::Optional &&
        putsUsercode(*part.description->isc, use.procedure))
      wish.with.insert(use.procedure.name);
  }
}

/// What the sheet's file says that is not part of the wish.
std::vector<std::string> warningsOf(const ConfigureJob& job) {
  std::vector<std::string> warnings;
  const bool secures = std::any_of(job.procedure->stages().begin(), job.procedure->stages().end(),
                                   [](const configure::Stage& s) { return s.secures; });
  if (job.data && job.data->security == true && !secures)
    warnings.push_back(
        "The file asks for the security fuse (G1); it was not set, because that was not asked for here.");
  return warnings;
}

}  // namespace

std::vector<PartAction> actionsOf(const PartConfig& config) {
  if (config.byCard()) return {{"program", "", true, false, true, {}}};
  std::vector<PartAction> actions;
  if (!config.description->isc) return actions;
  const bsdl::IscDescription& isc = *config.description->isc;
  for (const bsdl::IscAction& a : isc.actions) {
    PartAction action{a.name.name, a.name.data, false, false, false, {}};
    for (const bsdl::IscAction::Use& use : a.procedures) {
      using Need = bsdl::IscAction::Use::Need;
      if (use.need != Need::Mandatory) action.choices.push_back({use.procedure.name, use.need == Need::Recommended});
      for (const bsdl::IscName& flow : isc.procedure(use.procedure)->flows) {
        action.needsFile = action.needsFile || (use.need != Need::Optional && isc.flow(flow)->takesInput());
        action.reads = action.reads || isc.flow(flow)->givesOutput();
        action.changes = action.changes || isc.flow(flow)->changes();
      }
    }
    actions.push_back(std::move(action));
  }
  return actions;
}

bool takesUsercode(const PartConfig& config, const PartAction& action) {
  if (config.byCard() || !config.description->isc) return false;
  const bsdl::IscDescription& isc = *config.description->isc;
  const bsdl::IscAction* found = isc.action(action.name, action.data);
  return found != nullptr && std::any_of(found->procedures.begin(), found->procedures.end(),
                                         [&](const auto& use) { return putsUsercode(isc, use.procedure); });
}

std::unique_ptr<ConfigureJob> prepareConfigure(PartConfigPtr config, ConfigureWish wish, std::uint32_t clockHz) {
  auto job = std::make_unique<ConfigureJob>();
  job->wish = std::move(wish);
  job->config = std::move(config);
  const PartConfig& part = *job->config;
  if (!part.canConfigure() && part.description->iscProblem.empty()) {
    throw Error(
        ErrorKind::Usage,
        fmt::format("nothing says how {} ({}) is configured", part.target.name, part.description->entity),
        "Take its maker's BSDL file for IEEE 1532, or give it a configuration card (\"configure\" in the sheet).");
  }
  if (job->wish.file) job->data = configure::readConfigData(*job->wish.file, {}, part.highBitFirst());
  if (job->wish.usercode) {
    if (!job->data) job->data.emplace();
    job->data->setUsercode(*job->wish.usercode);
  }
  const configure::ConfigData* data = job->data ? &*job->data : nullptr;
  if (part.byCard()) {
    if (!isAction(job->wish, "program"))
      throw Error(ErrorKind::Usage,
                  fmt::format("{} is configured by its card, which knows only \"program\"", part.target.name));
    if (data == nullptr || !job->wish.file)
      throw Error(ErrorKind::Usage, fmt::format("{} needs a file", part.target.name),
                  "Name one, or put it into the sheet's \"configurations\".");
    configure::checkData(*part.card, *data, part.idcodes);
    job->procedure = configure::cardProcedure(part.target, *part.card, part.card->configure, data, clockHz);
  } else {
    if (data != nullptr && part.card && job->wish.file) configure::checkData(*part.card, *data, part.idcodes);
    addUsercode(job->wish, part, data);
    job->procedure = configure::iscProcedure(
        part.target, {job->wish.action, {}, upper(job->wish.with), upper(job->wish.without)}, data, clockHz);
  }
  addOpening(job->plan, job->wish.waitSeconds);
  for (const configure::Stage& stage : job->procedure->stages()) {
    Step step;
    step.kind = StepKind::Configure;
    step.title = stage.title;
    step.why = stage.why;
    step.bits = stage.bits;
    step.seconds = stage.seconds;
    job->plan.steps.push_back(std::move(step));
  }
  Step look;
  look.kind = job->wish.restart ? StepKind::Restart : StepKind::Look;
  look.title = job->wish.restart ? "Restart it" : fmt::format("Look how {} is now", part.target.name);
  look.why = job->wish.restart ? "so it was asked" : "its status and user code tell whether it took";
  look.seconds = 0.01;
  job->plan.steps.push_back(std::move(look));
  job->plan.complete = true;
  job->warnings = warningsOf(*job);
  return job;
}

Record carryOut(ConfigureJob& job, Bench& bench, RecordSink& records, RunObserver& observer, std::stop_token stop,
                bool dryRun) {
  return ConfigureRunner(job, bench, records, observer, std::move(stop), dryRun).run();
}

Record restartTarget(Bench& bench, RecordSink& records, RunObserver& observer, std::stop_token stop) {
  Record record;
  ConfigureRunner::begin(record, bench);
  record.device = "target";
  Plan plan;
  addOpening(plan, std::nullopt);
  addStep(plan, StepKind::Restart, "Restart the board", "so it was asked").seconds = 0.1;
  plan.complete = true;
  observer.planned(plan);
  try {
    for (std::size_t i = 0; i < plan.steps.size(); ++i) {
      if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped", "Nothing was touched.");
      runStep(record, observer, i, plan.steps[i], [&] {
        if (plan.steps[i].kind == StepKind::CheckChain) {
          bench.checkChain();
        } else {
          record.parts = bench.restart();
        }
      });
    }
    record.outcome = Outcome::Done;
    record.message = record.parts.empty() ? "The target's reset was pulsed." : "";
    for (const PartReport& part : record.parts) {
      record.message += fmt::format("{}{}: {}.", record.message.empty() ? "" : " ", part.name, part.text);
      if (part.runs == false)
        throw Error(ErrorKind::Refused, fmt::format("{} does not come up: {}", part.name, part.text),
                    "There may be no good design in its flash.");
    }
  } catch (const Error& e) {
    record.error = e.kind();
    record.outcome = outcomeOf(e.kind(), false);
    record.message = e.full();
  }
  record.plan = std::move(plan);
  keepRecord(record, records);
  observer.finished(record);
  return record;
}

std::string iscDataText(const std::string& entity, const std::string& name, const BitVector& bits) {
  constexpr std::size_t kRow = 256;
  std::string text = fmt::format("STD_1532_2002;\nENTITY {};\nDATA {} {{\n", entity, name);
  for (std::size_t at = 0; at < bits.size(); at += kRow) {
    const BitVector row = bits.slice(at, std::min(kRow, bits.size() - at));
    text += fmt::format("  {}:{}\n", row.size(), row.digits());
  }
  return text + "};\n";
}

}  // namespace imprimo::run
