// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/earlier_run.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/base/stoppable_progress.h"

namespace imprimo::run {
namespace {

/// A run that finishes another one is covered by that one's note.
class NoNotes : public NoteStore {
 public:
  void put(RunNote&) override {}
  void close(const RunNote&) override {}
  std::vector<RunNote> open(std::vector<std::string>*) const override { return {}; }
};

bool alike(const memory::CopyOf& a, const memory::CopyOf& b) {
  return a.identity == b.identity && a.bank == b.bank && a.size == b.size;
}

std::string namesOf(const std::vector<AddressRange>& ranges) {
  constexpr std::size_t kMost = 4;
  std::string text;
  for (std::size_t i = 0; i < std::min(ranges.size(), kMost); ++i) text += (i == 0 ? "" : ", ") + rangeText(ranges[i]);
  if (ranges.size() > kMost) text += fmt::format(" and {} more", ranges.size() - kMost);
  return text;
}

/// Reads all that tells whether it is the same board.
void readWhatTells(const RunNote& note, bench::Bench& bench, const std::stop_token& stop) {
  StoppableProgress progress(stop);
  RangeSet ranges(note.blocks);
  for (const RunNote::Witness& w : note.witnesses) ranges.add(w.range);
  for (const AddressRange& range : ranges.ranges()) {
    Bytes bytes(range.size());
    bench.at(note.of.memory).memory().read(range.begin, bytes, progress);
    bench.at(note.of.memory).contents().write(range.begin, bytes);
  }
}

void putProtectionBack(const RunNote& note, bench::Bench& bench) {
  if (!note.protection) return;
  const auto& [name, value] = *note.protection;
  const memory::Identity& identity = bench.at(note.of.memory).identity();
  const std::size_t index = memory::registerNamed(identity.registers, name);
  memory::Registers& registers = bench.at(note.of.memory).registers();
  if (registers.read().at(index) != value) registers.write(index, value);
}

}  // namespace

std::vector<RunNote> earlierRuns(const NoteStore& notes, const memory::CopyOf& now) {
  std::vector<RunNote> found = notes.open();
  std::erase_if(found, [&](const RunNote& note) {
    const bool both = !note.of.uniqueId.empty() && !now.uniqueId.empty();
    // Another process, at another board of this kind, is still at its own.
    return !alike(note.of, now) || (both && note.of.uniqueId != now.uniqueId) || stillRuns(note.process);
  });
  return found;
}

std::string earlierText(const RunNote& note) {
  std::string text = fmt::format("a run on {} that began {} did not end", note.of.memory, note.begun);
  if (!note.blocks.empty()) text += ": it was changing " + namesOf(note.blocks);
  if (!note.kept.empty()) {
    text += fmt::format(", with the kept bytes {}", namesOf(note.kept));
  } else if (!note.others.empty()) {
    text += fmt::format(", with other bytes in them, {}", namesOf(note.others));
  }
  if (!note.copy.empty()) text += fmt::format("; what was there is saved in {}", note.copy);
  return text;
}

plan::Step finishStep(const std::vector<RunNote>& notes) {
  plan::Step step;
  step.kind = plan::StepKind::Finish;
  step.title = "Put back what an unfinished run left";
  step.why = earlierText(notes.front());
  for (const RunNote& note : notes) {
    for (const AddressRange& r : note.others) step.amount.count += r.size();
    step.ranges.insert(step.ranges.end(), note.blocks.begin(), note.blocks.end());
  }
  return step;
}

void addFinishStep(plan::Plan& plan, const plan::Wanted& wanted, const std::vector<RunNote>& notes) {
  if (notes.empty() || !plan::changesMemory(wanted.task)) return;
  const auto identified = std::find_if(plan.steps.begin(), plan.steps.end(),
                                       [](const plan::Step& step) { return step.kind == plan::StepKind::Identify; });
  if (identified != plan.steps.end()) plan.steps.insert(identified + 1, finishStep(notes));
}

bool fits(const RunNote& note, const MemoryImage& old, const memory::KnownContents& now) {
  constexpr std::uint64_t kPage = 256;
  constexpr std::size_t kMostGarbled = 2;
  for (const RunNote::Witness& w : note.witnesses) {
    if (crc32Of(now.bytes(w.range)) != w.crc) return false;
  }
  if (note.pattern) return true;
  // An erase only sets bits, and putting back only clears those that were clear: at any moment in between no bit of
  // these is 0 that was 1. Only a page that was on its way when a packet was lost may hold anything.
  std::size_t garbled = 0, whole = 0;
  for (const AddressRange& others : note.others) {
    for (std::uint64_t at = others.begin; at < others.end;) {
      const AddressRange page = others.cut({at, (at / kPage + 1) * kPage});
      const Bytes before = old.bytes(page), found = now.bytes(page);
      bool cleared = false, holds = false;
      for (std::size_t i = 0; i < before.size(); ++i) {
        cleared = cleared || (before[i] & ~found[i]) != 0;
        holds = holds || found[i] != kBlankByte;
      }
      garbled += cleared ? 1 : 0;
      whole += !cleared && holds ? 1 : 0;
      at = page.end;
    }
  }
  return garbled == 0 || (garbled <= kMostGarbled && whole >= 2 * garbled);
}

std::string finishEarlier(const RunNote& earlier, const plan::Wanted& wanted, bench::Bench& bench,
                          const RunSeams& seams, const std::stop_token& stop) {
  RunNote note = earlier;
  const bool sameName = note.of.memory == wanted.memory && note.of.sheet == bench.sheet().title;
  note.of.memory = wanted.memory;
  const memory::CopyOf now = bench.at(wanted.memory).copyOf(true);
  const bool certain = !now.uniqueId.empty() && now.uniqueId == note.of.uniqueId;
  if (wanted.earlier == plan::Wanted::Earlier::Forget && !certain) {
    seams.notes.close(note);
    return "the earlier run's work is forgotten, as was asked";
  }
  MemoryImage old;
  if (!note.blocks.empty()) {
    if (!note.copy.empty()) old = seams.backups.contents(note.copy);
    readWhatTells(note, bench, stop);
    const bool fit = fits(note, old, bench.at(wanted.memory).contents());
    if (!certain && !fit && wanted.earlier != plan::Wanted::Earlier::Finish) {
      if (!sameName) return {};
      throw UnfinishedWork(earlierText(earlier));
    }
  }
  MemoryImage back;
  for (const AddressRange& r : note.others) back.write(r.begin, old.bytes(r));
  if (!back.empty()) {
    plan::Wanted restore;
    restore.task = plan::Task::Program;
    restore.memory = wanted.memory;
    restore.image = std::move(back);
    restore.finishes = true;
    NoNotes none;
    RunObserver nobody;
    const RecordPtr record = carryOut(restore, bench, {seams.backups, seams.records, none}, nobody, stop);
    if (!record->good()) throw Error(record->error.value_or(ErrorKind::LinkLost), record->message);
  }
  putProtectionBack(note, bench);
  if (!note.modes.empty()) bench.at(wanted.memory).setFoundModes(note.modes);
  seams.notes.close(note);
  return note.others.empty() ? "nothing of it had to be put back"
                             : fmt::format("{} put back and confirmed", sizeText(RangeSet(note.others).size()));
}

}  // namespace imprimo::run
