// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/play.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/base/utc.h"
#include "core/bench/chain_view.h"
#include "core/bench/pins/probe_pins.h"
#include "core/run/step_runner.h"
#include "core/vectors/aftermath.h"
#include "core/vectors/comments.h"
#include "core/vectors/mismatch_story.h"

namespace imprimo::vectors {
namespace {

constexpr int kMostStories = 20;

class Playing : svf::PlayObserver {
 public:
  Playing(const PlayWish& wish, probe::Probe& probe, const sheet::Sheet* sheet, const jtag::Describe& describe,
          PlayWatch& watch)
      : wish_(wish), probe_(probe), sheet_(sheet), describe_(describe), watch_(watch) {
    run::Record& record = report_.record;
    record.device = wish.file.filename().string();
    record.probe = probe.info().address;
    record.startedAt = utcNow();
    if (sheet != nullptr) {
      record.sheet = sheet->path.string();
      record.title = sheet->title;
    }
  }

  PlayReport run(run::RecordSink& records, const std::stop_token& stop) {
    run::Record& record = report_.record;
    const std::uint32_t hzBefore = probe_.clockHz();
    try {
      guarded([&] {
        step(plan::StepKind::CheckChain, "Examine the chain", [this] { look(); });
        step(plan::StepKind::Play, "Play " + record.device, [&] { play(stop, hzBefore); });
        conclude();
      });
    } catch (const Error& e) {
      record.fails(e);
      record.changed =
          record.changed || (begun_ && changesBefore(wish_, *view_, reader_ ? reader_->place().offset : 0));
      record.message = e.full();
      if (!record.message.ends_with('.')) record.message += '.';
      record.message += begun_ ? standing() + left() : " Nothing was sent to the parts.";
      record.outcome = e.kind() == ErrorKind::Refused && !record.changed ? run::Outcome::Refused
                       : begun_                                          ? run::Outcome::Stopped
                                                                         : run::Outcome::Failed;
    }
    try {
      if (probe_.clockHz() != hzBefore) probe_.setClock(hzBefore);
    } catch (const Error&) {
      // The link is gone, and with it the clock.
    }
    run::keepRecord(record, records);
    return std::move(report_);
  }

 private:
  template <typename Act>
  void step(plan::StepKind kind, const std::string& title, Act&& act) {
    plan::Step step;
    step.kind = kind;
    step.title = title;
    run::RunObserver nobody;
    run::runStep(report_.record, nobody, report_.record.steps.size(), step, std::forward<Act>(act));
  }

  void look() {
    const jtag::FoundChain found = jtag::examine(probe::tapOf(probe_), describe_);
    view_.emplace(bench::chainView(found, sheet_, describe_));
    report_.record.steps.back().note =
        fmt::format("{}, {} instruction bits", countText(found.devices.size(), "part"), found.irTotal);
    if (wish_.anyChain) return;
    const auto reader = svf::Reader::open(wish_.file);
    if (const auto why = svf::misfit(*reader, *view_)) {
      throw Error(ErrorKind::Refused, "this chain is not the one that the file was made for: " + *why,
                  "Nothing was sent but to find out what is there. Check the board and the file.");
    }
  }

  void play(const std::stop_token& stop, std::uint32_t hz) {
    reader_ = svf::Reader::open(wish_.file);
    svf::PlayOptions options;
    options.from = wish_.from;
    options.pins = &pins_;
    options.fromPause = wish_.fromPause;
    options.together = kTogether;
    options.togetherEnds = kTogetherEnds;
    const double highest = wish_.highestHz != 0 ? wish_.highestHz : hz;
    options.setClock = [this, highest](double wanted) {
      const double now = wanted > 0 ? std::min(wanted, highest) : highest;
      if (probe_.clockHz() != static_cast<std::uint32_t>(now)) probe_.setClock(static_cast<std::uint32_t>(now));
    };
    watch_.begins(*view_);
    begun_ = true;
    report_.result = svf::play(*reader_, probe::tapOf(probe_), options, *this, stop);
    run::Record& record = report_.record;
    record.bits = report_.result.played.clocks;
    record.changed = changesBefore(wish_, *view_, report_.result.played.place.offset + 1);
    if (report_.result.end != svf::PlayResult::End::Whole) putModesBack();
  }

  /// What the file would have done at its end.
  void putModesBack() {
    const std::uint64_t at = report_.result.played.place.offset;
    const auto closing = closingOf({wish_.file, at, at});
    if (!closing) return;
    class GoOn : public svf::PlayObserver {
      bool goesOnPast(const svf::Mismatch&) override { return true; }
    } goOn;
    svf::PlayOptions options;
    options.from = *closing;
    const auto reader = svf::Reader::open(wish_.file);
    svf::play(*reader, probe::tapOf(probe_), options, goOn, {});
  }

  /// What a memory holds where the file was left, for people.
  std::string left() const {
    const std::uint64_t sent = reader_ ? reader_->place().offset : 0;
    try {
      return aftermath({wish_.file, std::min(last_.offset, sent), sent}, sheet_);
    } catch (const Error&) {
      return {};  // what is wrong with the file was told already
    }
  }

  void advanced(const svf::Played& played) override {
    last_ = played.place;
    watch_.advanced(played);
  }

  bool goesOnPast(const svf::Mismatch& mismatch) override {
    // Each story reads the file anew, so only the first few get one.
    MismatchStory story;
    if (told_++ < kMostStories)
      story = storyOf(mismatch, *reader_, *view_, decoderAt(wish_.file, mismatch.place.offset));
    const bool on = watch_.goesOnPast(mismatch, story);
    if (report_.story.doing.empty() && report_.story.hint.empty()) report_.story = std::move(story);
    return on;
  }

  std::string standing() const {
    const svf::Place& at = last_;
    return fmt::format(" It stands at line {} of {}.", at.line, report_.record.device);
  }

  void conclude() {
    run::Record& record = report_.record;
    const svf::PlayResult& result = report_.result;
    const std::string counted =
        fmt::format("{}, {}, {}", countText(result.played.irScans, "instruction scan"),
                    countText(result.played.drScans, "data scan"), countText(result.played.compares, "comparison"));
    switch (result.end) {
      case svf::PlayResult::End::Whole:
        record.outcome = result.mismatches == 0 ? run::Outcome::Played : run::Outcome::Mismatch;
        record.message = fmt::format("Played {} to its end: {}", record.device, counted);
        record.message += result.mismatches == 0 ? ", all of which held."
                                                 : fmt::format(", of which {} did not hold.", result.mismatches);
        if (result.mismatches != 0) {
          record.message += " The first: " + mismatchText();
          if (record.changed) record.error = ErrorKind::NotProgrammed;
        }
        return;
      case svf::PlayResult::End::Stopped:
        record.outcome = run::Outcome::Stopped;
        record.error = ErrorKind::Stopped;
        record.message = fmt::format("Stopped at line {} of {}, after {}. The TAP rests in Run-Test/Idle.{}",
                                     result.played.place.line, record.device, counted, left() + again());
        return;
      case svf::PlayResult::End::Mismatch:
        record.outcome = run::Outcome::Mismatch;
        if (record.changed) record.error = ErrorKind::NotProgrammed;
        record.message = mismatchText() + " The TAP rests in Run-Test/Idle." + left() + again();
        return;
    }
  }

  std::string mismatchText() const {
    const svf::Mismatch& m = *report_.result.first;
    const MismatchStory& story = report_.story;
    std::string text = fmt::format("{}:{}:{}: {}", report_.record.device, m.place.line, m.place.column, m.text());
    if (!story.deviceName.empty()) text += fmt::format(" (from {})", story.deviceName);
    if (!story.doing.empty()) text += fmt::format("; {}", story.doing);
    if (!m.comment.text.empty()) text += fmt::format("; the last comment is \"{}\"", m.comment.text);
    text += fmt::format(". {} before it held.", countText(m.comparesBefore, "comparison"));
    if (!story.hint.empty()) text += " " + story.hint;
    return text;
  }

  std::string again() const {
    const svf::SafePoint& safe = report_.result.safe;
    if (safe.place.offset == 0) return {};
    return fmt::format(" It can be taken up again at line {}{}.", safe.place.line,
                       safe.title.empty() ? " (a reset of the TAP)" : fmt::format(" ({})", safe.title));
  }

  const PlayWish& wish_;
  probe::Probe& probe_;
  const sheet::Sheet* sheet_;
  const jtag::Describe& describe_;
  bench::ProbePins pins_{probe_};
  PlayWatch& watch_;
  std::unique_ptr<svf::Reader> reader_;
  std::optional<svf::ChainView> view_;
  svf::Place last_;
  bool begun_ = false;
  int told_ = 0;
  PlayReport report_;
};

}  // namespace

PlayReport playVectors(const PlayWish& wish, probe::Probe& probe, const sheet::Sheet* sheet,
                       const jtag::Describe& describe, run::RecordSink& records, PlayWatch& watch,
                       const std::stop_token& stop) {
  return Playing(wish, probe, sheet, describe, watch).run(records, stop);
}

}  // namespace imprimo::vectors
