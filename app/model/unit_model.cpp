// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/unit_model.h"

#include <algorithm>

#include "app/model/workbench.h"
#include "app/session/help_words.h"
#include "core/base/number.h"
#include "core/sheet/core_route.h"
#include "core/units/definition.h"
#include "records/set_aside.h"
#include "records/unit_run.h"

namespace imprimo::app {
namespace {

struct Planned {
  sheet::Sheet sheet;
  units::Unit unit;
  QString counts, problem;
};

/// On the store's thread.
Planned planOf(const sheet::Sheet& sheet, const records::WhichUnit& which, records::Database& database) {
  Planned planned;
  records::UnitRun unit(sheet, database, which);
  try {
    planned.sheet = unit.planned();
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::Usage) throw;
    planned.problem = told(e);
    planned.sheet = unit.planned(true);
  }
  planned.unit = unit.unit();
  QStringList parts;
  for (const char* state : {"used", "failed", "void", "reserved"}) {
    const std::uint64_t count =
        database.run("SELECT count(*) FROM unit WHERE ledger = ? AND state = ?", {sheet.units->ledger, state})
            .at(0)[0]
            .number();
    if (count > 0) parts += QString("%1 %2").arg(count).arg(state);
  }
  if (const auto capacity = unit.capacity()) {
    const std::uint64_t id = planned.unit.id;
    parts += UnitModel::tr("%1 left").arg(*capacity >= id ? *capacity - id + 1 : 0);
  }
  planned.counts = parts.join(", ");
  return planned;
}

}  // namespace

UnitModel::UnitModel(Workbench& bench) : bench_(bench) {
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::settingsChanged}) {
    connect(&bench_, signal, this, &UnitModel::refresh, Qt::QueuedConnection);
  }
  connect(&bench_, &Workbench::sheetChanged, this, [this] {
    last_.clear();
    given_.clear();
  });
  connect(&bench_.session(), &BenchSession::unitBegun, this,
          [this](const std::shared_ptr<const sheet::Sheet>& with, const units::Unit& unit, bool cameBack) {
            begun_ = with;
            unit_ = unit;
            good_ = true;
            why_.clear();
            show();
            emit bench_.message(cameBack ? tr("This board is unit %1, and keeps its numbers.").arg(unit.id)
                                         : tr("Unit %1 is reserved for this board.").arg(unit.id),
                                false);
            emit changed();
            if (const auto then = std::exchange(then_, nullptr)) then();
          });
  connect(&bench_.session(), &BenchSession::unitRefused, this, [this](const QString& why) {
    then_ = nullptr;
    begun_.reset();
    emit bench_.message(why, true);
    bench_.updateActions();
    emit bench_.runChanged();
    refresh();
  });
  // Whatever follows a run is begun before this looks whether something does.
  connect(
      &bench_.session(), &BenchSession::runFinished, this,
      [this](const RecordPtr& record) {
        if (!begun_) {
          // What became known during a run of something else is planned behind it.
          if (std::exchange(stale_, false)) plan();
          return;
        }
        good_ = good_ && record->good();
        settleWhereIdle(QString::fromStdString(record->message));
      },
      Qt::QueuedConnection);
  connect(&bench_.session(), &BenchSession::disconnected, this, [this](const QString& why) {
    if (std::exchange(then_, nullptr) || begun_) settle(false, why);
  });
  connect(&bench_.session(), &BenchSession::unitSettled, this, [this](const units::Unit& unit, const QString& problem) {
    last_ = tr("Unit %1 is %2.").arg(unit.id).arg(QString::fromStdString(unit.state));
    emit bench_.message(problem.isEmpty() ? last_ : problem, !problem.isEmpty() || unit.state != "used");
    refresh();
  });
}

bool UnitModel::hasUnits() const {
  return bench_.document().isOpen() && bench_.document().sheet().units != nullptr;
}

QString UnitModel::ledger() const {
  return hasUnits() ? QString::fromStdString(bench_.document().sheet().units->ledger) : QString();
}

void UnitModel::plan() {
  stale_ = bench_.run().isRunning();
  if (!stale_) bench_.takePlannedUnit();
}

void UnitModel::setOn(bool on) {
  if (on == on_ || isUnderWay()) return;
  on_ = on;
  emit changed();
  plan();
}

QString UnitModel::given(const QString& name) const {
  const auto at = given_.find(name.toStdString());
  return at == given_.end() ? QString() : QString::fromStdString(at->second);
}

void UnitModel::give(const QString& name, const QString& value) {
  if (value == given(name)) return;
  if (value.isEmpty()) {
    given_.erase(name.toStdString());
  } else {
    given_[name.toStdString()] = value.toStdString();
  }
  refresh();
}

void UnitModel::refresh() {
  if (isUnderWay()) return;
  const quint64 number = ++asked_;
  if (!hasUnits()) {
    const bool had = planned_ != nullptr || !shown_.empty();
    planned_.reset();
    unit_ = {};
    counts_.clear();
    problem_.clear();
    shown_.clear();
    if (had) plan();
    emit changed();
    return;
  }
  records::WhichUnit which;
  which.given = given_;
  bench_.store().ask(
      this,
      [this, number, sheet = bench_.document().sheet(), which](records::Database& database) -> std::function<void()> {
        Planned planned = planOf(sheet, which, database);
        return [this, number, planned = std::move(planned)] {
          if (number != asked_ || isUnderWay()) return;
          leftAside_ = 0;
          aside_ = false;
          take(planned.sheet, planned.unit, planned.counts, planned.problem);
        };
      },
      [this, number](const QString& why) {
        if (number != asked_ || isUnderWay()) return;
        aside_ ? planAside(why) : fail(why);
      });
}

void UnitModel::take(const sheet::Sheet& planned, const units::Unit& unit, const QString& counts,
                     const QString& problem) {
  const bool same = planned_ != nullptr && unit_.id == unit.id && unit_.fields == unit.fields && problem_ == problem;
  planned_ = std::make_shared<const sheet::Sheet>(planned);
  unit_ = unit;
  counts_ = counts;
  problem_ = problem;
  show();
  emit changed();
  if (!same) plan();
}

/// The store is on this computer, so there is nothing to wait for.
void UnitModel::planAside(const QString& why) {
  try {
    records::WhichUnit which;
    which.given = given_;
    which.setAside = true;
    records::Database here(records::setAsideStore());
    const Planned planned = planOf(bench_.document().sheet(), which, here);
    leftAside_ = records::leftAside(ledger().toStdString());
    take(planned.sheet, planned.unit, tr("%1 left of those set aside; the server is away").arg(leftAside_),
         planned.problem);
  } catch (const Error& e) {
    aside_ = false;
    fail(why + " " + told(e));
  }
}

void UnitModel::goOnAside() {
  aside_ = true;
  refresh();
}

void UnitModel::fail(const QString& problem) {
  try {
    leftAside_ = records::leftAside(ledger().toStdString());
  } catch (const Error&) {
    leftAside_ = 0;
  }
  const bool had = planned_ != nullptr;
  planned_.reset();
  unit_ = {};
  counts_.clear();
  problem_ = problem;
  show();
  emit changed();
  if (had) plan();
}

void UnitModel::show() {
  shown_.clear();
  for (const units::Field& field : bench_.document().sheet().units->fields) {
    Shown shown;
    shown.name = QString::fromStdString(field.name);
    shown.secret = field.secret;
    shown.given = field.source.kind == units::Source::Given;
    shown.memory = field.memory;
    shown.at = field.at;
    shown.where = QString::fromStdString(field.memory.empty() ? field.core + " " + field.word
                                                              : field.memory + " " + hexAddress(field.at));
    const auto at = unit_.fields.find(field.name);
    if (at != unit_.fields.end()) shown.value = QString::fromStdString(at->second);
    shown_.push_back(std::move(shown));
  }
}

sheet::Sheet UnitModel::applied(const sheet::Sheet& sheet) const {
  const auto& from = begun_ ? begun_ : planned_;
  if (!isOn() || !from) return sheet;
  sheet::Sheet with = sheet;
  with.unitBytes = from->unitBytes;
  with.cores = from->cores;
  return with;
}

std::vector<AddressRange> UnitModel::rangesIn(const std::string& memory, bool onlySecret) const {
  std::vector<AddressRange> ranges;
  if (!hasUnits()) return ranges;
  for (const units::Field& field : bench_.document().sheet().units->fields) {
    if (field.memory == memory && (field.secret || !onlySecret)) ranges.push_back(field.range());
  }
  return ranges;
}

bool UnitModel::reachesBeyond(const std::string& memory) const {
  if (!isOn() || memory.empty()) return false;
  const sheet::Sheet& sheet = bench_.document().sheet();
  const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(memory).route);
  return std::any_of(sheet.units->fields.begin(), sheet.units->fields.end(), [&](const units::Field& field) {
    return field.memory.empty() ? route == nullptr || route->core != field.core : field.memory != memory;
  });
}

void UnitModel::beginThen(std::function<void()> act) {
  if (isUnderWay() || then_) return;
  if (!problem_.isEmpty()) {
    emit bench_.message(problem_, true);
    return;
  }
  then_ = std::move(act);
  records::WhichUnit which;
  which.given = given_;
  which.setAside = aside_;
  emit bench_.message(tr("Looking at the board, and reserving a unit …"), false);
  bench_.session().beginUnit(bench_.document().sheet(), which);
}

void UnitModel::fails(const QString& why) {
  if (!begun_) return;
  good_ = false;
  why_ = why;
  QMetaObject::invokeMethod(
      this, [this, why] { settleWhereIdle(why); }, Qt::QueuedConnection);
}

void UnitModel::ends() {
  if (begun_) settle(good_, good_ ? QString() : why_);
}

void UnitModel::settleWhereIdle(const QString& why) {
  if (begun_ && !bench_.sequence().isUnderWay() && !bench_.session().isBusy()) settle(good_, why);
}

void UnitModel::settle(bool good, const QString& why) {
  begun_.reset();
  given_.clear();  // the next board has its own
  bench_.session().settleUnit(good, why);
  bench_.session().takeSheet(bench_.document().sheet());
}

}  // namespace imprimo::app
