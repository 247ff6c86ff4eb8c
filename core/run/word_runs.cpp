// SPDX-License-Identifier: GPL-3.0-or-later
//
// Configuration words: what is wanted of them, and the run that writes them.
#include "core/run/word_runs.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/bench/cores/core_speech.h"
#include "core/plan/plan_steps.h"
#include "core/run/step_runner.h"
#include "core/run/verdict.h"
#include "core/run/words_note.h"

namespace imprimo::run {
namespace {

using debug::ConfigWord;
using debug::Harm;
using Valid = debug::ConfigWord::Valid;
using bench::WordFound;
using Values = std::vector<std::optional<std::uint32_t>>;

/// "0x000000FF → 0x0000005A: debug 0x5A (closed until all is erased)"
std::string changeText(const ConfigWord& word, const WordFound& found, std::uint32_t value) {
  const std::string fields = debug::fieldsText(word, value);
  return fmt::format("{} → {}{}{}", bench::foundText(word, found), word.hex(value), fields.empty() ? "" : ": ", fields);
}

class WordsRun {
 public:
  WordsRun(const WordsWanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
           const std::stop_token& stop, bool onlyPlan)
      : wanted_(wanted), bench_(bench), seams_(seams), observer_(observer), stop_(stop), onlyPlan_(onlyPlan) {
    beginRecord(record_, bench);
    record_.device = wanted.core;
  }

  RecordPtr run() {
    try {
      plan_ = std::make_shared<plan::Plan>();
      plan::addCheckStep(*plan_, bench_.sheet().onlySwd());
      plan::addStep(*plan_, plan::StepKind::Read, "Read the configuration words of " + wanted_.core,
                    "only words that differ are written");
      show();
      step(0, [this] {
        bench_.checkChain();
        core_ = &bench_.core(wanted_.core);
        words_.emplace(*core_);
        core_->requireOpen();
      });
      step(1, [this] { readAll(); });
      planRest();
      if (onlyPlan_) {
        record_.outcome = Outcome::Planned;
        record_.message =
            fmt::format("{} of {} would be written.", countText(changes(), "configuration word"), wanted_.core);
      } else {
        for (std::size_t i = 2; i < plan_->steps.size(); ++i) step(i, [this, i] { carryOut(i); });
        conclude();
      }
    } catch (const Error& e) {
      failed(e);
    }
    record_.plan = plan_;
    return finishRecord(std::move(record_), onlyPlan_ ? noRecords_ : seams_.records, observer_);
  }

 private:
  struct NoRecords : RecordSink {
    void keep(const Record&) override {}
  };

  const ConfigWord& word(std::size_t i) const { return words_->words()[i]; }
  void show() {
    record_.plan = std::make_shared<plan::Plan>(*plan_);
    observer_.planned(record_.plan);
  }
  template <typename Act>
  void step(std::size_t i, Act&& act) {
    if (stop_.stop_requested())
      throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", plan_->steps[i].title));
    runStep(record_, observer_, i, plan_->steps[i], std::forward<Act>(act));
  }
  void note(std::string text) { record_.steps.back().note = std::move(text); }
  std::size_t changes() const {
    return static_cast<std::size_t>(
        std::count_if(values_.begin(), values_.end(), [](const auto& v) { return v.has_value(); }));
  }

  void readAll() {
    found_ = words_->read();
    if (words_->read() != found_)
      throw Error(ErrorKind::LinkLost, fmt::format("two reads of the configuration words of {} differ", wanted_.core),
                  "Nothing was written. Check the wires, or lower the clock.");
    earlier_ = findEarlier(bench_, *core_, found_, wanted_.earlier, seams_);
    values_ = changedWords(core_->card(), wanted_, earlier_.asPutRight(found_));
    // What an earlier run left half written, and nobody wants otherwise now, becomes what it was.
    for (const auto& [i, value] : earlier_.values) {
      if (!values_[i]) values_[i] = value;
    }
    for (std::size_t i = 0; i < found_.size(); ++i) {
      record_.words.push_back({word(i).name,
                               bench::foundText(word(i), found_[i]),
                               values_[i] ? word(i).hex(*values_[i]) : std::string(),
                               {}});
      if (values_[i]) worst_ = std::max(worst_, debug::harmOf(word(i), *values_[i]).harm);
    }
    note(earlier_.text.empty() ? fmt::format("{} to be written", countText(changes(), "word")) : earlier_.text);
  }

  void planRest() {
    std::vector<std::size_t> changed;
    for (std::size_t i = 0; i < values_.size(); ++i) {
      if (values_[i]) changed.push_back(i);
    }
    units_ = words_->unitsOf(changed);
    addUnitsOfOthers();
    bool power = false, reset = false;
    if (!units_.empty())
      plan::addStep(*plan_, plan::StepKind::Save, "Save the previous contents", "so that they can be restored");
    for (const bench::WordUnit& unit : units_) {
      std::string title, why;
      for (const std::size_t i : unit.words) {
        title += (title.empty() ? "Write the configuration word " : ", ") + word(i).name;
        why +=
            fmt::format("{}{}: {}", why.empty() ? "" : "; ", word(i).name, changeText(word(i), found_[i], *values_[i]));
        power = power || word(i).valid == Valid::PowerCycle;
        reset = reset || word(i).valid == Valid::Reset;
      }
      if (unit.words.empty()) {
        title = fmt::format("Restore {}", rangeText({unit.ranges.front().begin, unit.ranges.back().end}));
        why = "an earlier run erased it";
      }
      plan::addStep(*plan_, plan::StepKind::SetWord, title, why).seconds = 0.1;
    }
    if (!units_.empty()) {
      plan::addStep(*plan_, plan::StepKind::Confirm, "Read back", "the words must hold what was planned");
      std::string what;
      if (worst_ != Harm::None) what = fmt::format("; {} is then locked for debuggers", wanted_.core);
      if (power) {
        plan::addStep(*plan_, plan::StepKind::AwaitTarget, "Wait for a power cycle of the board",
                      "the new values take effect" + what);
      } else if (reset) {
        resetAt_ = plan_->steps.size();
        plan::addStep(*plan_, plan::StepKind::Restart, "Reset " + wanted_.core, "the new values take effect" + what);
      }
      if (power || reset)
        plan::addStep(*plan_, plan::StepKind::Look,
                      worst_ == Harm::None ? "Read back after the reset" : "Check that it is locked",
                      "the new values are in effect");
    }
    if (wanted_.restart && worst_ == Harm::None) {
      plan::addStep(*plan_, plan::StepKind::Restart, "Restart " + wanted_.core, "the sheet says so").seconds = 0.1;
      if (wanted_.hear) plan::addHearStep(*plan_, wanted_.core, core_->entry().console);
      if (wanted_.watch)
        plan::addStep(*plan_, plan::StepKind::Watch, fmt::format("See whether {} runs", wanted_.core),
                      "without halting it")
            .seconds = 1;
    }
    plan_->complete = true;
    show();
  }

  /// What an earlier run erased beside words that are as they should be.
  void addUnitsOfOthers() {
    for (const MemoryImage::Segment& segment : earlier_.others.segments()) {
      const bool covered = std::any_of(units_.begin(), units_.end(), [&](const bench::WordUnit& unit) {
        return RangeSet(unit.ranges).contains(segment.range());
      });
      for (std::size_t i = 0; i < words_->words().size() && !covered; ++i) {
        if (word(i).region.empty() || !core_->card().region(word(i).region).range.contains(segment.range())) continue;
        bench::WordUnit unit = words_->unitsOf({i}).front();
        if (!RangeSet(unit.ranges).contains(segment.range())) continue;
        unit.words.clear();
        units_.push_back(std::move(unit));
        break;
      }
    }
  }

  void carryOut(std::size_t i) {
    switch (plan_->steps[i].kind) {
      case plan::StepKind::Save:
        return save();
      case plan::StepKind::SetWord:
        return write(units_[next_++]);
      case plan::StepKind::Confirm:
        return confirm();
      case plan::StepKind::AwaitTarget:
        powered_ = true;
        return core_->carryOut({debug::ChipStep::Kind::PowerCycle, {}, 60}, stop_);
      case plan::StepKind::Look:
        return lookAgain();
      case plan::StepKind::Restart:
        if (i == resetAt_) return resetNow();
        if (wanted_.hear) bench::strikeRings(*core_);
        return core_->restart();
      case plan::StepKind::Hear:
        record_.heard = bench::hearSpeech(*core_, core_->entry().console, stop_);
        return note(record_.heard->seen ? "said" : "not said");
      case plan::StepKind::Watch:
        record_.watched = core_->watch(stop_);
        return note(record_.watched->words());
      default:
        return;
    }
  }

  void save() {
    core_->requireMayHalt();
    for (const bench::WordUnit& unit : units_) {
      const MemoryImage once = words_->contents(unit);
      if (words_->contents(unit) != once)
        throw Error(ErrorKind::LinkLost, fmt::format("two reads of the configuration words of {} differ", wanted_.core),
                    "Nothing was written. Check the wires, or lower the clock.");
      before_.write(once);
    }
    memory::CopyOf of = wordsCopy(bench_, *core_);
    of.unfinished = !earlier_.values.empty() || !earlier_.others.empty();
    record_.backup = seams_.backups.save(of, before_);
    note_ = noteFor(bench_, *core_, units_, record_);
    seams_.notes.put(note_);
  }

  void write(const bench::WordUnit& unit) {
    MemoryImage contents;
    for (const AddressRange& range : unit.ranges) contents.write(range.begin, before_.bytes(range));
    contents.write(earlier_.othersIn(unit.ranges));
    std::vector<std::uint32_t> values(values_.size());
    for (const std::size_t i : unit.words) {
      values[i] = *values_[i];
      bench::CoreWords::put(contents, word(i), values[i]);
    }
    if (stop_.stop_requested()) throw Error(ErrorKind::Stopped, "stopped");
    record_.changed = true;
    bench_.doubtAll();
    words_->write(unit, contents, values, stop_);
    planned_.write(contents);
  }

  /// All that was written, as it stands there; of a unit of a sector that is all of the sector.
  void confirm() {
    const std::vector<WordFound> now = words_->read();
    for (std::size_t i = 0; i < now.size(); ++i) requireWritten(i, now[i], ErrorKind::NotProgrammed);
    for (const bench::WordUnit& unit : units_) {
      if (unit.region.empty()) continue;
      const MemoryImage held = words_->contents(unit);
      for (const AddressRange& range : unit.ranges) {
        const Bytes is = held.bytes(range), should = planned_.bytes(range);
        const auto [a, b] = std::mismatch(is.begin(), is.end(), should.begin());
        if (a == is.end()) continue;
        const std::uint64_t at = range.begin + static_cast<std::uint64_t>(a - is.begin());
        throw Error(ErrorKind::NotProgrammed,
                    fmt::format("{} holds {}, and should hold {}", hexAddress(at), hexByte(*a), hexByte(*b)))
            .setAt(at);
      }
    }
    confirmed_ = true;
    note(fmt::format("{} as planned", countText(changes(), "word")));
  }

  void requireWritten(std::size_t i, const WordFound& now, ErrorKind kind) const {
    if (!values_[i]) return;
    if (now.state != WordFound::State::Torn && now.state != WordFound::State::Unread && now.value == *values_[i])
      return;
    throw Error(kind,
                fmt::format("{} should hold {}, and is {}", word(i).name, word(i).hex(*values_[i]),
                            bench::foundText(word(i), now)),
                "Run it again. If that does not help, the card may be for another chip.");
  }

  void resetNow() {
    try {
      core_->core().resetHalted();
    } catch (const Error& e) {
      // A core that its new words close does not answer for itself any more.
      if (worst_ == Harm::None || e.kind() == ErrorKind::LinkLost) throw;
    }
  }

  void lookAgain() {
    if (worst_ != Harm::None) {
      const bool locked = core_->lookWhetherLocked(true);
      closed_ = locked;
      return note(locked ? "locked" : "not locked");
    }
    if (powered_ || !core_->port().stillPowered()) core_->lookWhetherLocked();
    const std::vector<WordFound> now = words_->read();
    for (std::size_t i = 0; i < now.size(); ++i) requireWritten(i, now[i], ErrorKind::NotProgrammed);
    note("as planned");
  }

  void tellAfter(const std::vector<WordFound>& now) {
    for (std::size_t i = 0; i < now.size(); ++i) record_.words[i].after = bench::foundText(word(i), now[i]);
  }

  void conclude() {
    for (std::size_t i = 0; i < record_.words.size(); ++i)
      record_.words[i].after = values_[i] ? record_.words[i].planned : record_.words[i].before;
    seams_.notes.close(note_);
    closeEarlier(earlier_, seams_);
    record_.outcome = Outcome::Verified;
    if (units_.empty()) {
      record_.message =
          fmt::format("The configuration words of {} hold the planned values; nothing was written.", wanted_.core);
    } else if (changes() == 0) {
      record_.message = fmt::format(
          "Data that an earlier run erased beside the configuration words of {} was restored.", wanted_.core);
    } else {
      record_.message =
          fmt::format("{} of {} written and read back.", countText(changes(), "configuration word"), wanted_.core);
      if (worst_ != Harm::None)
        record_.message += closed_ ? fmt::format(" {} is now locked.", wanted_.core)
                                   : fmt::format(" {} is not locked; it may need a power cycle.", wanted_.core);
    }
    if (record_.heard) {
      record_.message += " " + record_.heard->sentence(wanted_.core);
      if (!record_.heard->seen) record_.outcome = Outcome::Mismatch;
    }
    if (record_.watched) record_.message += fmt::format(" {} {}.", wanted_.core, record_.watched->words());
  }

  /// What the words hold where the run did not come to its end, as far as it can be seen.
  void failed(const Error& e) {
    record_.fails(e);
    record_.unfinishedWork = dynamic_cast<const UnfinishedWork*>(&e) != nullptr;
    record_.outcome = outcomeOf(e.kind(), record_.changed);
    record_.message = e.full();
    if (!record_.changed) {
      if (!note_.path.empty()) settle(true);
      return;
    }
    try {
      if (core_->lookWhetherLocked()) {
        record_.message += fmt::format(" {} is now locked, and its words cannot be read.", wanted_.core);
        return settle(confirmed_);
      }
      const std::vector<WordFound> now = words_->read();
      tellAfter(now);
      bool sure = true;
      std::string text;
      for (std::size_t i = 0; i < now.size(); ++i) {
        if (!values_[i]) continue;
        sure = sure && now[i].certain() && (now[i].value == *values_[i] || now[i] == found_[i]);
        text += fmt::format("{} {}", text.empty() ? "" : ",", word(i).name);
        text += now[i].certain() && now[i].value == *values_[i] ? " is as planned"
                : now[i] == found_[i]                           ? " is unchanged"
                                                                : " is " + bench::foundText(word(i), now[i]);
      }
      for (const bench::WordUnit& unit : units_) {
        if (!unit.region.empty()) sure = sure && othersHold(unit, words_->contents(unit), before_, words_->words());
      }
      record_.message += fmt::format(" Now:{}.{}", text, sure ? "" : " The next run restores that.");
      settle(sure);
    } catch (const Error&) {
      record_.message += " What the configuration words hold now is not known; the next run restores them.";
      settle(false);
    }
  }

  void settle(bool sure) {
    try {
      if (sure) return seams_.notes.close(note_);
      note_.process.clear();
      seams_.notes.put(note_);
    } catch (const Error& trouble) {
      record_.noteTrouble = trouble.full();
      record_.message += " (" + record_.noteTrouble + ")";
    }
  }

  const WordsWanted& wanted_;
  bench::Bench& bench_;
  const RunSeams& seams_;
  RunObserver& observer_;
  const std::stop_token stop_;
  const bool onlyPlan_;
  NoRecords noRecords_;
  Record record_;
  std::shared_ptr<plan::Plan> plan_;
  bench::BenchCore* core_ = nullptr;
  std::optional<bench::CoreWords> words_;
  std::vector<WordFound> found_;
  Values values_;
  EarlierWords earlier_;
  std::vector<bench::WordUnit> units_;
  MemoryImage before_, planned_;
  RunNote note_;
  std::size_t next_ = 0;
  std::optional<std::size_t> resetAt_;  // the step that makes the new values count
  Harm worst_ = Harm::None;
  bool confirmed_ = false, closed_ = false, powered_ = false;
};

}  // namespace

RecordPtr writeWords(const WordsWanted& wanted, bench::Bench& bench, const RunSeams& seams, RunObserver& observer,
                     const std::stop_token& stop, bool onlyPlan) {
  return WordsRun(wanted, bench, seams, observer, stop, onlyPlan).run();
}

}  // namespace imprimo::run
