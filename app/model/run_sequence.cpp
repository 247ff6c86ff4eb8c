// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/run_sequence.h"

#include <filesystem>
#include <utility>

#include "app/model/workbench.h"
#include "app/session/help_words.h"
#include "core/run/job.h"
#include "core/sheet/core_route.h"

namespace imprimo::app {

RunSequence::RunSequence(Workbench& bench) : bench_(bench) {
  // The other models take the record first; a run that a slot begins would come before they did.
  connect(
      &bench_.session(), &BenchSession::runFinished, this,
      [this](const RecordPtr& record) {
        if (std::exchange(waitsForRun_, false)) return takeRecord(*record);
        takeOther(*record);
      },
      Qt::QueuedConnection);
  // A run whose connection is gone may end without a record.
  connect(&bench_.session(), &BenchSession::disconnected, this, [this] {
    stop();
    waitsForRun_ = ofCores_ = false;
  });
}

std::vector<std::string> RunSequence::memories() const {
  return run::memoriesWithPlacements(bench_.units().applied(bench_.document().sheet()));
}

bool RunSequence::canWriteAll() const {
  if (const auto& report = bench_.link().report()) {
    for (const auto& [name, core] : report->cores) {
      if (core.locked) return false;
    }
  }
  return !isUnderWay() && bench_.tasks().canAsk() && bench_.choice().intent() == Intent::Write &&
         !bench_.run().isReading() && memories().size() > 1;
}

QString RunSequence::andLock(const QString& text) const {
  QStringList locked;
  for (const sheet::CoreEntry& core : bench_.document().sheet().cores) {
    if (core.lock) locked += QString::fromStdString(core.name);
  }
  return locked.isEmpty() ? text : tr("%1, and lock %2").arg(text, locked.join(", "));
}

QString RunSequence::writeAllText() const {
  return andLock(tr("Write all %1 memories").arg(memories().size()));
}

QString RunSequence::writeUnitText() const {
  const std::uint64_t id = bench_.units().id();
  return andLock(id == 0 ? tr("Write the unit whole") : tr("Write unit %1 whole").arg(id));
}

QStringList RunSequence::afterTheMemory() const {
  QStringList lines;
  const sheet::Sheet& sheet = bench_.document().sheet();
  try {
    const run::AfterMemories after = run::afterMemories(sheet, {bench_.memory()}, false);
    for (const run::WordsWanted& wanted : after.words) {
      QStringList words;
      for (const sheet::WordWish& wish : wanted.wishes)
        words += QString("%1 = 0x%2")
                     .arg(QString::fromStdString(wish.field ? wish.word + " " + *wish.field : wish.word),
                          QString::number(wish.value, 16).toUpper());
      lines += tr("Then the configuration words of %1 are written: %2.")
                   .arg(QString::fromStdString(wanted.core), words.join(", "));
    }
    for (const std::string& core : after.notLocked)
      lines += tr("%1 is not locked by this: other memories of it have files.").arg(QString::fromStdString(core));
    for (const std::string& core : after.locks)
      lines += tr("Finally %1 is locked: %2 can no longer be read.")
                   .arg(QString::fromStdString(core),
                        QString::fromStdString(bench::cardOf(sheet, sheet.core(core)).lock.closes));
  } catch (const Error& e) {
    lines += told(e);
  }
  return lines;
}

void RunSequence::writeAll() {
  if (!canWriteAll()) return;
  if (bench_.units().isOn()) return writeUnit(plan::Wanted::Earlier::Refuse);
  earlierOf_.clear();
  readAll();
}

void RunSequence::writeUnit(plan::Wanted::Earlier earlier) {
  if (isUnderWay()) return;
  earlier_ = earlier;
  earlierOf_ = bench_.memory();
  bench_.units().beginThen([this] { readAll(); });
}

void RunSequence::readAll() {
  const sheet::Sheet sheet = bench_.units().applied(bench_.document().sheet());
  std::uint64_t bytes = 0;
  std::error_code none;
  for (const Placement& p : sheet.placements) {
    const auto size = std::filesystem::file_size(sheet.folder() / p.file, none);
    if (!none) bytes += size;
  }
  const std::size_t count = memories().size();
  done_ = count == 1 ? tr("%1 holds what is planned.").arg(QString::fromStdString(memories().front()))
                     : tr("All %1 memories hold what is planned.").arg(count);
  reading_.read(bytes, [this, sheet, names = memories()](const ReadRules& rules) {
    std::vector<plan::WantedPtr> all;
    QString problem;
    try {
      guarded([&] {
        for (const std::string& name : names)
          all.push_back(
              std::make_shared<plan::Wanted>(run::wantedFor(sheet, name, plan::Task::Program, std::nullopt, rules)));
      });
    } catch (const Error& e) {
      problem = told(e);
    } catch (const std::exception& e) {
      problem = QString::fromStdString(e.what());
    }
    return [this, all = std::move(all), problem] { problem.isEmpty() ? take(all) : end(problem, true); };
  });
}

void RunSequence::take(const std::vector<plan::WantedPtr>& all) {
  if (!bench_.tasks().canAsk()) return end(tr("Nothing was written: something else came between."), true);
  const sheet::Sheet sheet = bench_.units().applied(bench_.document().sheet());
  run::AfterMemories after;
  try {
    after = run::afterMemories(sheet, {}, true);
  } catch (const Error& e) {
    return end(told(e), true);
  }
  for (const plan::WantedPtr& each : all) {
    auto reach = std::make_shared<plan::Wanted>(*each);
    reach->task = plan::Task::Reach;
    reach->restart = false;
    left_.push_back({Each::Kind::Reach, each->memory, std::move(reach)});
  }
  for (std::size_t i = 0; i < all.size(); ++i) {
    auto wanted = std::make_shared<plan::Wanted>(*all[i]);
    wanted->noErase = bench_.choice().noErase();
    if (wanted->memory == earlierOf_) wanted->earlier = earlier_;
    // The target starts again once, when everything is in place.
    if (i + 1 < all.size() || !after.words.empty()) wanted->restart = false;
    const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(wanted->memory).route);
    if (route != nullptr && wanted->restart) wanted->watch = route->core;
    left_.push_back({Each::Kind::Memory, wanted->memory, std::move(wanted)});
  }
  add(after);
  next();
}

void RunSequence::add(const run::AfterMemories& after) {
  for (const run::WordsWanted& words : after.words) left_.push_back({Each::Kind::Words, words.core, {}, words.restart});
  if (after.restart) left_.push_back({Each::Kind::Restart, {}});
  for (const std::string& core : after.locks) left_.push_back({Each::Kind::Lock, core});
}

void RunSequence::stop() {
  if (isUnderWay()) bench_.units().fails(tr("Stopped before all of it was written."));
  reading_.cancel();
  left_.clear();
  done_.clear();
}

void RunSequence::next() {
  if (left_.empty()) return end(std::exchange(done_, {}), false);
  if (bench_.session().isBusy() || !bench_.link().isConnected())
    return end(tr("What was to follow is left out: something else came between."), true);
  const Each each = std::move(left_.front());
  left_.pop_front();
  try {
    carryOut(each);
    waitsForRun_ = true;
  } catch (const Error& e) {
    end(told(e), true);
  }
}

void RunSequence::carryOut(const Each& each) {
  BenchSession& session = bench_.session();
  switch (each.kind) {
    case Each::Kind::Reach:
    case Each::Kind::Memory:
      bench_.selectMemory(each.name);
      return bench_.run().start(each.wanted);
    case Each::Kind::Words: {
      ofCores_ = true;
      run::WordsWanted wanted = run::wordsWanted(bench_.units().applied(bench_.document().sheet()), each.name);
      wanted.restart = each.restarts;
      return bench_.run().startOther([&] { session.writeWords(wanted); });
    }
    case Each::Kind::Restart:
      return bench_.run().startOther([&] { session.restart(); });
    case Each::Kind::Lock:
      ofCores_ = true;
      return bench_.run().startOther([&] { session.lock(each.name); });
  }
}

/// What is to be written lies in the memories, as they said themselves how large they are. Throws Refused.
void RunSequence::requireFitting() const {
  for (const Each& each : left_) {
    const memory::Identity* identity = bench_.link().identity(each.name);
    if (each.kind == Each::Kind::Memory && identity != nullptr) plan::desiredContents(*each.wanted, identity->geometry);
  }
}

void RunSequence::takeRecord(const run::Record& record) {
  if (!record.good()) return end({}, true);
  try {
    if (!left_.empty() && left_.front().kind == Each::Kind::Memory) requireFitting();
  } catch (const Error& e) {
    return end(told(e), true);
  }
  next();
}

void RunSequence::takeOther(const run::Record& record) {
  const plan::WantedPtr& last = bench_.run().last_;
  const bool wrote = (record.outcome == run::Outcome::Verified || record.outcome == run::Outcome::Programmed) && last &&
                     record.memory == last->memory && last->task == plan::Task::Program && !last->restores &&
                     !last->image.empty();
  if (!wrote || isUnderWay()) return;
  try {
    add(run::afterMemories(bench_.units().applied(bench_.document().sheet()), {record.memory}, false));
  } catch (const Error& e) {
    return end(told(e), true);
  }
  if (!left_.empty()) next();
}

void RunSequence::end(const QString& message, bool trouble) {
  earlierOf_.clear();
  trouble ? bench_.units().fails(message) : bench_.units().ends();
  left_.clear();
  done_.clear();
  if (!message.isEmpty()) emit bench_.message(message, trouble);
  if (std::exchange(ofCores_, false)) bench_.link().reconnect();
  emit bench_.runChanged();
}

}  // namespace imprimo::app
