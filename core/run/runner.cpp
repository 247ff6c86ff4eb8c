// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/runner.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <functional>

#include "core/base/number.h"
#include "core/run/folders.h"
#include "core/run/verdict.h"

namespace imprimo::run {
namespace {

using Clock = std::chrono::steady_clock;

/// Passes progress of one step on to the observer, and the stop token to whoever works.
class StepProgress : public Progress {
 public:
  using Each = std::function<void(const AddressRange&)>;
  StepProgress(RunObserver& observer, std::size_t step, std::stop_token stop, Each each = {})
      : observer_(observer), step_(step), stop_(std::move(stop)), each_(std::move(each)) {}

  void advanced(const AddressRange& range) override {
    done_ += range.size();
    if (each_) each_(range);
    observer_.advanced(step_, range, done_);
  }
  bool stopRequested() const override { return stop_.stop_requested(); }
  void setEach(Each each) { each_ = std::move(each); }

 private:
  RunObserver& observer_;
  std::size_t step_;
  std::stop_token stop_;
  Each each_;
  std::uint64_t done_ = 0;
};

class Runner {
 public:
  Runner(const Wanted& wanted, Bench& bench, const RunSeams& seams, RunObserver& observer, std::stop_token stop,
         bool dryRun)
      : wanted_(wanted), bench_(bench), seams_(seams), observer_(observer), stop_(std::move(stop)), dryRun_(dryRun) {
    record_.memory = wanted.memory;
    record_.sheet = bench.sheet().path.string();
    record_.title = bench.sheet().title;
    record_.probe = bench.probe().info().address;
    record_.startedAt = utcNow();
    if (wanted.waitSeconds) ++opening_;
  }

  Record run() {
    try {
      steps();
      conclude();
    } catch (const Error& thrown) {
      const Error e = explained(thrown);
      record_.error = e.kind();
      record_.outcome = outcomeOf(e.kind(), record_.changed);
      record_.message = failureMessage(e, record_, reached());
      if (e.kind() == ErrorKind::Refused && e.at() && wanted_.noErase) noteRefused(*e.at());
    }
    record_.erased = erased_.ranges();
    record_.plan = std::move(plan_);
    if (!dryRun_) keepRecord();
    observer_.finished(record_);
    return std::move(record_);
  }

 private:
  void steps() {
    replan(0);
    for (std::size_t i = 0; i < plan_.steps.size(); ++i) {
      const StepKind kind = plan_.steps[i].kind;
      const bool looks = kind == StepKind::AwaitTarget || kind == StepKind::CheckChain || kind == StepKind::Identify ||
                         kind == StepKind::Read;
      if (dryRun_ && !looks) return;
      if (stop_.stop_requested())
        throw Error(ErrorKind::Stopped, fmt::format("stopped before \"{}\"", plan_.steps[i].title));
      execute(i);
      if (kind == StepKind::Identify || kind == StepKind::Read) replan(i + 1);
    }
  }

  /// Plans with all that is known by now; the first `done` steps ran and stay.
  void replan(std::size_t done) {
    Knowledge knowledge;
    if (done >= opening_) {  // identified in this run
      knowledge.geometry = bench_.identity(wanted_.memory).geometry;
      knowledge.contents = &bench_.contents(wanted_.memory);
    }
    knowledge.fresh = fresh_;
    knowledge.speed = bench_.speed();
    Plan plan = makePlan(wanted_, knowledge);
    std::vector<Step> steps(plan_.steps.begin(), plan_.steps.begin() + static_cast<std::ptrdiff_t>(done));
    const bool readDone = done > opening_;
    for (std::size_t i = std::min(done, opening_); i < plan.steps.size(); ++i) {
      if (readDone && plan.steps[i].kind == StepKind::Read) continue;
      steps.push_back(std::move(plan.steps[i]));
    }
    plan.steps = std::move(steps);
    plan_ = std::move(plan);
    observer_.planned(plan_);
  }

  void execute(std::size_t i) {
    Step& step = plan_.steps[i];
    RanStep ran;
    ran.step.kind = step.kind;
    ran.step.title = step.title;
    ran.step.why = step.why;
    ran.step.bytes = step.bytes;
    ran.step.seconds = step.seconds;
    if (!step.extent().empty()) ran.step.ranges = {step.extent()};
    record_.steps.push_back(std::move(ran));
    observer_.stepStarted(i);

    const auto begin = Clock::now();
    const auto stamp = [&] {
      record_.steps.back().seconds = std::chrono::duration<double>(Clock::now() - begin).count();
    };
    StepProgress progress(observer_, i, stop_);
    try {
      act(i, step, progress);
    } catch (...) {
      stamp();
      throw;
    }
    stamp();
    record_.steps.back().finished = true;
    observer_.stepFinished(i, record_.steps.back());
  }

  void act(std::size_t i, const Step& step, StepProgress& progress) {
    switch (step.kind) {
      case StepKind::AwaitTarget:
        return bench_.waitForTarget(
            std::chrono::seconds(*wanted_.waitSeconds), [this, i](double left) { observer_.waiting(i, left); }, stop_);
      case StepKind::CheckChain:
        return checkChain();
      case StepKind::Identify:
        return identify();
      case StepKind::Read:
        return read(step, progress);
      case StepKind::Save:
        return save(step);
      case StepKind::Renew:
        return renew(step, progress);
      case StepKind::Erase:
        return erase(step, progress);
      case StepKind::Write:
        return write(step, progress);
      case StepKind::Confirm:
        return confirm(step, progress);
      case StepKind::Restart:
        return bench_.restart();
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
    if (error.kind() != ErrorKind::BrokenChain && record_.steps.size() < opening_) return error;
    try {
      bench_.requireAlive();
    } catch (Error& gone) {
      if (gone.kind() != ErrorKind::BrokenChain) return error;
      if (error.at()) gone.setAt(*error.at());
      return gone;
    }
    return error;
  }

  void note(std::string text) { record_.steps.back().note = std::move(text); }

  void checkChain() {
    const jtag::FoundChain found = bench_.checkChain();
    const jtag::PatternCheck check = bench_.checkLink(100);
    if (check.whole != check.sent) {
      throw Error(ErrorKind::BrokenChain,
                  fmt::format("only {} of {} test patterns came back whole through the chain", check.whole, check.sent),
                  "Lower the clock or shorten the cable; nothing was written.");
    }
    note(fmt::format("{}, {} instruction bits, {} of {} patterns whole", countText(found.parts.size(), "part"),
                     found.irTotal, check.whole, check.sent));
  }

  void identify() {
    const memory::FlashIdentity& identity = bench_.identify(wanted_.memory);
    note(fmt::format("ID {}, {}, described by {}", identity.id.text(), sizeText(identity.geometry.size),
                     identity.source == "sfdp" ? "its parameter table" : "its part card"));
  }

  memory::Memory& part() { return bench_.memory(wanted_.memory); }
  MemoryImage& contents() { return bench_.contents(wanted_.memory); }

  /// Reads ranges into what is known, piece by piece as they come.
  void readInto(const std::vector<AddressRange>& ranges, StepProgress& progress, const StepProgress::Each& seen = {}) {
    for (const AddressRange& range : ranges) {
      Bytes buffer(range.size());
      progress.setEach([&](const AddressRange& piece) {
        contents().write(piece.begin, ByteSpan(buffer).subspan(piece.begin - range.begin, piece.size()));
        if (seen) seen(piece);
      });
      part().read(range.begin, buffer, progress);
      progress.setEach({});
    }
  }

  void read(const Step& step, StepProgress& progress) {
    readInto(step.ranges, progress, [this](const AddressRange& piece) {
      fresh_.add(piece);
      if (wanted_.task == Task::Read) record_.bytes += piece.size();
    });
  }

  void save(const Step& step) {
    MemoryImage copy;
    for (const AddressRange& range : step.ranges) {
      for (const MemoryImage::Segment& s : contents().segmentsIn(range)) copy.write(s.begin, s.bytes);
    }
    record_.backup = seams_.backups.save(wanted_.memory, copy);
    note("saved in " + record_.backup.string());
  }

  /// Before the part is changed at `range`: keep what it held, for the verdict, and forget that it is known.
  void aboutToChange(const AddressRange& range) {
    record_.changed = true;
    for (const MemoryImage::Segment& s : contents().segmentsIn(range)) before_.write(s.begin, s.bytes);
    contents().erase(range);
  }

  void eraseBlock(const memory::EraseBlock& block, Progress& progress) {
    aboutToChange(block.range);
    part().erase({&block, 1}, progress);
    spotCheck(block.range);
    erased_.add(block.range);
  }

  /// An erase command that was ignored is found before anything is written: a few bytes that were not blank are read.
  void spotCheck(const AddressRange& block) {
    for (const MemoryImage::Segment& s : before_.segmentsIn(block)) {
      const auto held = std::find_if(s.bytes.begin(), s.bytes.end(), [](std::uint8_t b) { return b != kBlankByte; });
      if (held == s.bytes.end()) continue;
      const std::uint64_t address = s.begin + static_cast<std::uint64_t>(held - s.bytes.begin());
      Bytes now(std::min<std::uint64_t>(16, block.end - address));
      NoProgress nobody;
      part().read(address, now, nobody);
      for (std::size_t i = 0; i < now.size(); ++i) {
        if (now[i] != kBlankByte) throw notErased(wanted_.memory, block, address + i, now[i], before_.at(address + i));
      }
      return;
    }
  }

  void renew(const Step& step, StepProgress& progress) {
    auto page = step.pages.begin();
    for (const memory::EraseBlock& block : step.erases) {
      if (progress.stopRequested())
        throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(block.range.begin)));
      // From here to the last page nothing stops this block: other people's bytes are in it.
      NoProgress unstoppable;
      eraseBlock(block, unstoppable);
      const auto first = page;
      while (page != step.pages.end() && block.range.contains(page->address)) ++page;
      part().program({first, page}, unstoppable);
      for (auto p = first; p != page; ++p) {
        written_.add(p->range());
        record_.bytes += p->bytes.size();
      }
      progress.advanced(block.range);
    }
  }

  void erase(const Step& step, StepProgress& progress) {
    for (const memory::EraseBlock& block : step.erases) eraseBlock(block, progress);
  }

  void write(const Step& step, StepProgress& progress) {
    // Also the pages that are queued behind the one that fails may have reached the part.
    for (const memory::PageWrite& page : step.pages) aboutToChange(page.range());
    progress.setEach([this](const AddressRange& range) {
      written_.add(range);
      record_.bytes += range.size();
    });
    part().program(step.pages, progress);
    progress.setEach({});
  }

  void confirm(const Step& step, StepProgress& progress) {
    readInto(step.ranges, progress, [this](const AddressRange& piece) {
      fresh_.add(piece);
      if (wanted_.task == Task::Verify || wanted_.task == Task::Blank) record_.bytes += piece.size();
      countDifferences(piece);
    });
    const bool changes = wanted_.task == Task::Program || wanted_.task == Task::Erase;
    if (record_.first && changes) {
      const auto& geometry = bench_.identity(wanted_.memory).geometry;
      throw notAsPlanned(wanted_.memory, geometry.blockAt(record_.first->address), *record_.first, record_.differences,
                         before_, contents());
    }
  }

  void countDifferences(const AddressRange& piece) {
    const Bytes found = contents().bytes(piece);
    Bytes expected = found;
    plan_.target.copyTo(piece.begin, expected);
    if (expected == found) return;
    for (std::size_t i = 0; i < found.size(); ++i) {
      if (expected[i] == found[i]) continue;
      if (!record_.first) record_.first = Difference{piece.begin + i, expected[i], found[i]};
      ++record_.differences;
    }
  }

  Reached reached() const {
    Reached r{erased_, written_, {}};
    for (const Step& step : plan_.steps) {
      for (const memory::PageWrite& page : step.pages) {
        if (erased_.contains(page.range())) r.unwritten.add(page.range());
      }
    }
    for (const AddressRange& range : written_.ranges()) r.unwritten.remove(range);
    return r;
  }

  void noteRefused(std::uint64_t address) {
    const auto found = contents().at(address);
    const auto expected = wanted_.image.at(address);
    if (found && expected) record_.first = Difference{address, *expected, *found};
  }

  void conclude() {
    record_.outcome = dryRun_ ? Outcome::Planned : outcomeOf(wanted_, record_);
    record_.message = successMessage(wanted_, record_, plan_, erased_);
  }

  void keepRecord() {
    try {
      seams_.records.keep(record_);
    } catch (const Error& e) {
      record_.message += fmt::format(" (The record could not be kept: {}.)", e.what());
    }
  }

  const Wanted& wanted_;
  Bench& bench_;
  const RunSeams& seams_;
  RunObserver& observer_;
  std::stop_token stop_;
  bool dryRun_;

  std::size_t opening_ = 2;  // steps before contents count: to check the chain and to identify
  Plan plan_;
  Record record_;
  RangeSet fresh_;      // read in this run
  RangeSet erased_;     // erased in this run, as far as the spot check tells
  RangeSet written_;    // programmed in this run
  MemoryImage before_;  // what changed addresses held before
};

}  // namespace

Record carryOut(const Wanted& wanted, Bench& bench, const RunSeams& seams, RunObserver& observer, std::stop_token stop,
                bool dryRun) {
  return Runner(wanted, bench, seams, observer, std::move(stop), dryRun).run();
}

}  // namespace imprimo::run
