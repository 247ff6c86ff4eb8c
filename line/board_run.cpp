// SPDX-License-Identifier: GPL-3.0-or-later
#include "line/board_run.h"

#include <fmt/format.h>

#include "core/run/after_memories.h"
#include "core/run/configure_runner.h"
#include "core/run/core_runs.h"
#include "core/run/job.h"
#include "line/operator_words.h"
#include "records/store_seams.h"
#include "records/unit_run.h"

namespace imprimo::line {
namespace {

/// What went wrong in a run, to be told by kind.
[[noreturn]] void throwOf(const run::Record& record) {
  throw Error(record.error.value_or(ErrorKind::NotProgrammed), record.message);
}

bool haltsTheLine(ErrorKind kind) {
  switch (kind) {
    case ErrorKind::NoProbe:
    case ErrorKind::NoStore:
    case ErrorKind::CannotWrite:
    case ErrorKind::BadFile:
    case ErrorKind::Internal:
      return true;
    default:
      return false;
  }
}

}  // namespace

/// One board's turn: the unit is settled whichever way it ends.
class BoardRun::Turn {
 public:
  Turn(const sheet::Sheet& sheet, const std::string& store, bench::Bench& bench, run::RunObserver& observer,
       const std::stop_token& stop, BoardResult& result)
      : sheet_(sheet), usual_(store), bench_(bench), observer_(observer), stop_(stop), result_(result) {
    if (sheet_.units) database_ = std::make_unique<records::Database>(records::chosenStore(store));
  }

  void carryOut(const std::map<std::string, std::string>& given) {
    if (database_) {
      records::sendWaiting(*database_);
      unit_ =
          std::make_unique<records::UnitRun>(sheet_, *database_, records::WhichUnit{std::nullopt, given, false, false});
      halting([&] { unit_->planned(); });
    }
    try {
      writeAll();
      settle(true, "");
    } catch (const Error& e) {
      settle(false, e.what());
      throw;
    }
  }

 private:
  template <typename Act>
  void halting(const Act& act) {
    try {
      act();
    } catch (const Error& e) {
      result_.kind = e.kind() == ErrorKind::Stopped ? BoardResult::Kind::Stopped : BoardResult::Kind::Halted;
      throw;
    }
  }

  void writeAll() {
    sheet::Sheet sheet = sheet_;
    if (unit_) {
      sheet = unit_->begin(bench_, [&](const std::string& memory, const std::vector<AddressRange>& ranges) {
        plan::Wanted look = run::wantedFor(sheet_, memory, plan::Task::Read);
        look.ranges = ranges;
        runOne(look, usual_.all);
      });
      bench_.setSheet(sheet);
      seams_.emplace(unit_->seams(usual_.all));
    }
    std::vector<plan::Wanted> all;
    for (const std::string& name : run::memoriesWithPlacements(sheet))
      all.push_back(run::wantedFor(sheet, name, plan::Task::Program));
    const run::AfterMemories after = run::afterMemories(sheet, {}, true);
    if (all.size() > 1) reachAll(all);
    for (std::size_t i = 0; i < all.size(); ++i) {
      // The target starts again once, when everything is in place.
      if (i + 1 < all.size() || !after.words.empty()) all[i].restart = false;
      runOne(all[i], seams());
    }
    for (const run::WordsWanted& each : after.words) {
      run::WordsWanted wanted = each;
      wanted.earlier = plan::Wanted::Earlier::Forget;
      take(*run::writeWords(wanted, bench_, seams(), observer_, stop_));
    }
    if (after.restart) take(*run::restartTarget(bench_, seams().records, observer_, stop_));
    for (const std::string& core : after.locks) take(*run::lockCore(bench_, core, seams().records, observer_, stop_));
  }

  /// All memories are asked before any of them is changed.
  void reachAll(const std::vector<plan::Wanted>& all) {
    for (const plan::Wanted& wanted : all) {
      plan::Wanted reach = wanted;
      reach.task = plan::Task::Reach;
      reach.restart = false;
      runOne(reach, usual_.all);
      plan::desiredContents(wanted, bench_.at(wanted.memory).identity().geometry);
    }
  }

  void runOne(plan::Wanted& wanted, const run::RunSeams& seams) {
    wanted.earlier = plan::Wanted::Earlier::Forget;
    take(*run::carryOut(wanted, bench_, seams, observer_, stop_));
  }

  void take(const run::Record& record) {
    result_.changed = result_.changed || record.changed;
    result_.details.push_back(record.message);
    if (!record.good()) throwOf(record);
  }

  const run::RunSeams& seams() const { return seams_ ? *seams_ : usual_.all; }

  void settle(bool good, const std::string& why) {
    if (!unit_) return;
    unit_->settle(good, why);
    if (unit_->unit().state.empty()) return;  // no number was spent
    result_.unit = unit_->unit();
    result_.cameBack = unit_->cameBack();
  }

  const sheet::Sheet& sheet_;
  records::StoreSeams usual_;
  std::unique_ptr<records::Database> database_;
  std::unique_ptr<records::UnitRun> unit_;
  std::optional<run::RunSeams> seams_;
  bench::Bench& bench_;
  run::RunObserver& observer_;
  const std::stop_token& stop_;
  BoardResult& result_;
};

BoardResult BoardRun::carryOut(bench::Bench& bench, const std::map<std::string, std::string>& given,
                               run::RunObserver& observer, const std::stop_token& stop) {
  using Clock = std::chrono::steady_clock;
  const auto begin = Clock::now();
  BoardResult result;
  try {
    Turn(sheet_, store_, bench, observer, stop, result).carryOut(given);
    result.kind = BoardResult::Kind::Good;
  } catch (const Error& e) {
    result.error = e.kind();
    if (result.details.empty() || result.details.back() != e.what()) result.details.push_back(e.what());
    if (!e.remedy().empty()) result.details.push_back(e.remedy());
    if (e.kind() == ErrorKind::Stopped) result.kind = BoardResult::Kind::Stopped;
    if (haltsTheLine(e.kind())) result.kind = BoardResult::Kind::Halted;
    result.sentence = operatorSentence(e, result.kind);
  } catch (const std::exception& e) {
    result.kind = BoardResult::Kind::Halted;
    result.error = ErrorKind::Internal;
    result.sentence = "The program has a fault. Call the engineer.";
    result.details.push_back(e.what());
  }
  if (result.kind == BoardResult::Kind::Good && result.cameBack)
    result.sentence = fmt::format("This board is unit {} already, and keeps its numbers.", result.unit->id);
  result.seconds = std::chrono::duration<double>(Clock::now() - begin).count();
  return result;
}

void BoardRun::requireNext(const std::map<std::string, std::string>& given) const {
  if (!sheet_.units) return;
  records::Database database(records::chosenStore(store_));
  records::UnitRun(sheet_, database, records::WhichUnit{std::nullopt, given, false, false}).planned();
}

std::vector<std::string> BoardRun::givenFields() const {
  std::vector<std::string> names;
  if (!sheet_.units) return names;
  for (const units::Field& field : sheet_.units->fields) {
    if (field.source.kind == units::Source::Given) names.push_back(field.name);
  }
  return names;
}

}  // namespace imprimo::line
