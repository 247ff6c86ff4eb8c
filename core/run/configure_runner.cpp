// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/configure_runner.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/number.h"
#include "core/bsdl/lexer.h"
#include "core/plan/step_kinds.h"
#include "core/run/step_gate.h"
#include "core/run/step_runner.h"
#include "core/run/step_worker.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

class ConfigureRunner {
 public:
  ConfigureRunner(ConfigureJob& job, bench::Bench& bench, RecordSink& records, RunObserver& observer,
                  std::stop_token stop, RunExtent extent)
      : job_(job),
        bench_(bench),
        records_(records),
        observer_(observer),
        stop_(std::move(stop)),
        extent_(std::move(extent)) {
    beginRecord(record_, bench);
    record_.device = job.config->target.name;
  }

  void steps() {
    for (std::size_t i = 0; i < job_.plan.steps.size() && !answer_; ++i) {
      const plan::Step& step = job_.plan.steps[i];
      if (extent_.next(step) == RunExtent::End) break;
      if (stop_.stop_requested()) throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", step.title));
      StepProgress progress(observer_, i, stop_);
      runStep(record_, observer_, i, step, [&] { act(i, step, progress); });
    }
  }

  RecordPtr run() {
    record_.plan = std::make_shared<plan::Plan>(job_.plan);
    observer_.planned(record_.plan);
    try {
      guarded([this] {
        steps();
        conclude();
      });
    } catch (const Error& e) {
      fail(e);
    }
    return finishRecord(std::move(record_), records_, observer_);
  }

 private:
  const std::string& name() const { return record_.device; }

  void act(std::size_t i, const plan::Step& step, StepProgress& progress) {
    switch (step.kind) {
      case plan::StepKind::AwaitTarget:
        return bench_.waitForTarget(
            std::chrono::seconds(*job_.wish.waitSeconds), [this, i](double left) { observer_.waiting(i, left); },
            stop_);
      case plan::StepKind::CheckChain: {
        const jtag::FoundChain found = bench_.checkChain();
        requireUnsecured();
        return note(fmt::format("{}, as the sheet has them", countText(found.devices.size(), "part")));
      }
      case plan::StepKind::Look:
        record_.devices = {bench_.devices().lookAt(job_.config->target.position)};
        return note(record_.devices.front().text);
      case plan::StepKind::Restart:
        record_.devices = bench_.devices().restart();
        return note(record_.devices.empty() ? "reset pulsed" : record_.devices.front().text);
      default:
        return stage(next_++, step, progress);
    }
  }

  void note(std::string text) { record_.steps.back().note = std::move(text); }

  void stage(std::size_t i, const plan::Step& step, StepProgress& progress) {
    const configure::Stage& stage = job_.procedure->stages().at(i);
    if (stage.changes && !record_.changed) bench_.doubtAll();
    record_.changed = record_.changed || stage.changes;
    entered_ = true;
    const configure::StageResult result = job_.procedure->carryOut(i, bench_.chain(), progress);
    record_.bits += step.amount.count;
    note(result.note);
    if (!result.mismatch) return;
    mismatch_ = result.mismatch;
    leave();
    const bool verifies = job_.wish.is("verify");
    if (!record_.changed && (job_.wish.is("blank_check") || (verifies && stage.confirms))) {
      answer_ = verifies ? Outcome::Mismatch : Outcome::NotBlank;
      return;
    }
    Error error(record_.changed ? ErrorKind::NotProgrammed : ErrorKind::Refused, mismatch_->text(), mismatchRemedy());
    if (!record_.changed && !rowIsAlike()) error.untouched();
    throw error;
  }

  void leave() {
    if (!entered_) return;
    try {
      job_.procedure->leave(bench_.chain());
    } catch (const Error&) {
      // What made it necessary is told; that the device could not be put in order follows from it.
    }
  }

  /// A device that is known to be secured gives zeros and takes nothing; only an erase helps.
  void requireUnsecured() {
    const auto& card = job_.config->card;
    const auto& stages = job_.procedure->stages();
    if (!card || !card->secured || job_.config->byCard()) return;
    const bool erases = std::any_of(stages.begin(), stages.end(), [](const configure::Stage& s) { return s.erases; });
    if (erases) return;
    const auto state = configure::lookAt(job_.config->target, &*card, bench_.chain());
    if (!state.status || !card->secured->holds(*state.status)) return;
    throw Error(ErrorKind::Refused,
                fmt::format("{} is secured: what it holds cannot be read, and it cannot be reprogrammed", name()),
                "Erasing it unlocks it, and destroys what is in it.");
  }

  std::string mismatchRemedy() const {
    if (rowIsAlike() && *mismatch_->allAlike())
      return "All that came out is ones: it looks as if the part is blank (a guess). Program it first.";
    if (rowIsAlike()) {
      return "All that came out is zeros: it looks as if the part is secured (a guess). Erasing it unlocks it, and "
             "destroys what is in it.";
    }
    if (!record_.changed)
      return "Nothing was changed. It is another part than its BSDL file describes, or the file is for another.";
    return "It may be worn out, its supply too low, or the file made for another part.";
  }

  void conclude() {
    record_.outcome = answer_ ? *answer_ : extent_.outcome ? *extent_.outcome : outcome();
    record_.message = answer_ ? answerText() : successText();
  }

  std::string answerText() const {
    std::string text =
        fmt::format("{} {}: {}.", name(), answer_ == Outcome::Mismatch ? "differs from the file" : "is not blank",
                    mismatch_->text());
    if (rowIsAlike() && answer_ == Outcome::Mismatch) text += " " + mismatchRemedy();
    return text;
  }

  /// All bits of a row alike is what a device shows that is blank, or does not let itself be read.
  bool rowIsAlike() const { return mismatch_->found.size() > 32 && mismatch_->allAlike().has_value(); }

  Outcome outcome() const {
    if (job_.wish.is("verify")) return Outcome::Match;
    if (job_.wish.is("blank_check")) return Outcome::Blank;
    if (job_.wish.is("erase")) return Outcome::Erased;
    if (job_.wish.is("read")) return Outcome::Read;
    if (!job_.wish.is("program")) return Outcome::Done;
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
                          iscDataText(job_.config->target.description->entity, "array", job_.procedure->output()));
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
    if (!record_.devices.empty() && !record_.devices.front().text.empty())
      text += " It says: " + record_.devices.front().text + ".";
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
    record_.fails(error);
    record_.outcome = outcomeOf(error.kind(), record_.changed);
    record_.message = error.full();
    if (!record_.message.ends_with('.')) record_.message += '.';
    if (!error.saysUntouched()) record_.message += " " + whatItIsNow(error);
  }

  /// After a failure: what the device is now, as far as can be known.
  std::string whatItIsNow(const Error& error) {
    if (!record_.changed) return "Nothing was changed.";
    const bool gone = error.kind() == ErrorKind::BrokenChain || error.kind() == ErrorKind::LinkLost;
    if (!gone) {
      try {
        record_.devices = {bench_.devices().lookAt(job_.config->target.position)};
        const bench::DeviceReport& device = record_.devices.front();
        return fmt::format("{} now{}{}: configure it again.", name(),
                           device.runs == false ? " has no design that runs" : " is not to be relied on",
                           device.text.empty() ? "" : " (" + device.text + ")");
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
  bench::Bench& bench_;
  RecordSink& records_;
  RunObserver& observer_;
  std::stop_token stop_;
  RunExtent extent_;
  Record record_;
  std::size_t next_ = 0;
  bool entered_ = false;
  std::optional<configure::Mismatch> mismatch_;
  std::optional<Outcome> answer_;  // no
};

}  // namespace

RecordPtr carryOut(ConfigureJob& job, bench::Bench& bench, RecordSink& records, RunObserver& observer,
                   std::stop_token stop) {
  return ConfigureRunner(job, bench, records, observer, std::move(stop), {}).run();
}

RecordPtr dryRun(ConfigureJob& job, bench::Bench& bench, RunObserver& observer, std::stop_token stop) {
  NoRecords none;
  const RunExtent looks{
      [](const plan::Step& step) { return plan::traitsOf(step.kind).looks ? RunExtent::CarryOut : RunExtent::End; },
      Outcome::Planned};
  return ConfigureRunner(job, bench, none, observer, std::move(stop), looks).run();
}

}  // namespace imprimo::run
