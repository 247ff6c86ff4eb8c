// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is planned, and the run that it becomes. What the one button says stands in run_model_button.cpp.
#include "app/model/run_model.h"

#include <filesystem>
#include <utility>

#include "app/model/workbench.h"
#include "app/session/help_words.h"
#include "core/run/job.h"
#include "core/sheet/core_route.h"

namespace imprimo::app {
namespace {

/// Comparing by itself stops being cheap somewhere; past this it is left to the run.
constexpr double kMostSecondsUnasked = 30;

}  // namespace

RunModel::RunModel(Workbench& bench) : bench_(bench) {
  connectSession();
}

bool RunModel::isRunning() const {
  return bench_.session().isBusy();
}

void RunModel::connectSession() {
  BenchSession& session = bench_.session();
  connect(&session, &BenchSession::backgroundRead, this, [this] { replan(true); });
  connect(&session, &BenchSession::planned, this, &RunModel::takePlan);
  connect(&session, &BenchSession::planRefused, this, [this](const QString& why) {
    if (bench_.atDevice()) return;
    next_.reset();
    if (!record_) plan_.reset();
    problem_ = why;
    emit bench_.planChanged();
    emit bench_.message(why, true);
    bench_.updateActions();
  });
  connect(&session, &BenchSession::runPlanned, this, [this](const PlanPtr& plan) {
    plan_ = plan;
    steps_.resize(plan->steps.size());
    emit bench_.planChanged();
  });
  const auto step = [this](int number) -> StepStatus& { return steps_.at(static_cast<std::size_t>(number)); };
  connect(&session, &BenchSession::stepStarted, this, [this, step](int number) {
    step(number).state = StepStatus::Running;
    emit bench_.message(QString::fromStdString(plan_->steps.at(static_cast<std::size_t>(number)).title) + " …", false);
    emit bench_.runChanged();
  });
  connect(&session, &BenchSession::stepWaiting, this, [this, step](int number, double left) {
    step(number).waitLeft = left;
    emit bench_.runChanged();
  });
  connect(&session, &BenchSession::stepAdvanced, this, [this, step](int number, quint64 done) {
    step(number).done = done;
    emit bench_.runChanged();
  });
  connect(&session, &BenchSession::stepFinished, this, [this, step](int number, double seconds) {
    step(number).state = StepStatus::Done;
    step(number).seconds = seconds;
    emit bench_.runChanged();
  });
  connect(&session, &BenchSession::earlierFound, this, [this](const QString& memory, const QStringList& runs) {
    earlier_[memory.toStdString()] = runs;
    emit bench_.earlierChanged();
  });
  connect(&session, &BenchSession::runFinished, this, &RunModel::takeRecord);
  connect(&reading_, &FileReading::progressed, this, [this] {
    problem_ = tr("Reading the files: %1 %").arg(reading_.percent());
    emit bench_.planChanged();
    bench_.updateActions();
  });
  connect(&reading_, &FileReading::taken, this, [this] {
    bench_.takeFiles();
    const auto then = std::exchange(afterReading_, nullptr);
    if (then && wantedGood_) return then();
    if (then) bench_.units().fails(problem_);
  });
}

void RunModel::takePlan(const PlanPtr& plan) {
  if (isRunning() || bench_.atDevice() || plan->memory != bench_.memory()) return;
  next_ = plan;
  problem_.clear();
  if (!record_) {  // what happened stays in sight until something else is asked for
    plan_ = plan;
    steps_.assign(plan->steps.size(), {});
  }
  emit bench_.planChanged();
  bench_.updateActions();
}

void RunModel::takeRecord(const RecordPtr& record) {
  record_ = record;
  for (StepStatus& status : steps_) {
    if (status.state == StepStatus::Running) status.state = StepStatus::Broken;
  }
  emit bench_.message(withHelp(QString::fromStdString(record->message), record->help), !record->good());
  bench_.link().takeDevices(*record);
  if (record->watched && last_ && !last_->watch.empty()) bench_.link().takeWatch(last_->watch, *record->watched);
  const bool reached = record->outcome == run::Outcome::Done && !record->memory.empty();
  if (reached) record_.reset();  // what comes next is of more interest
  emit bench_.deviceChanged();
  emit bench_.runChanged();
  replan();
  compareInBackground();
}

void RunModel::readFiles() {
  reading_.cancel();
  afterReading_ = nullptr;  // what waited for the files as they were must not start with others
  wanted_ = std::make_shared<plan::Wanted>();
  wantedGood_ = false;
  problem_.clear();
  if (bench_.memory().empty()) return;
  if (bench_.choice().intent() == Intent::Erase) return takeEraseList();
  startReading();
}

void RunModel::startReading() {
  const sheet::Sheet sheet = bench_.units().applied(bench_.document().sheet());
  const std::string& memory = bench_.memory();
  bench_.looks_.hide(bench_.units().rangesIn(memory, true));
  if (sheet.editsIn(memory).empty() && sheet.placementsIn(memory).empty() && sheet.unitBytesIn(memory).empty()) {
    auto nothing = std::make_shared<plan::Wanted>();
    nothing->memory = memory;
    return takeFiles(nothing, {}, tr("Add a file: nothing is placed in %1 yet.").arg(QString::fromStdString(memory)));
  }
  std::uint64_t bytes = 0;
  std::error_code none;
  for (const Placement& p : sheet.placementsIn(memory)) {
    const auto size = std::filesystem::file_size(sheet.folder() / p.file, none);
    if (!none) bytes += size;
  }
  bench_.looks_.setPlanned({});
  problem_ = tr("Reading the files …");
  reading_.read(bytes, [this, sheet, memory, noErase = bench_.choice().noErase()](const ReadRules& rules) {
    auto wanted = std::make_shared<plan::Wanted>();
    std::vector<Finding> findings;
    QString problem;
    try {
      guarded([&] {
        *wanted = run::wantedFor(sheet, memory, plan::Task::Program, std::nullopt, rules);
        wanted->noErase = noErase;
        if (const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(memory).route); route && wanted->restart)
          wanted->watch = route->core;
        findings = run::lookedOver(sheet, *wanted);
      });
    } catch (const Error& e) {
      problem = told(e);
    } catch (const std::exception& e) {
      problem = QString::fromStdString(e.what());
    }
    return [this, wanted, findings, problem] { takeFiles(wanted, findings, problem); };
  });
}

void RunModel::takeFiles(const plan::WantedPtr& wanted, const std::vector<Finding>& findings, const QString& problem) {
  wanted_ = wanted;
  problem_ = problem;
  wantedGood_ = problem.isEmpty();
  // That nothing is placed is no trouble, and seen where the files would be.
  if (!problem.isEmpty() && wanted->memory.empty()) emit bench_.message(problem, true);
  for (const Finding& finding : findings) {
    if (finding.level != Finding::Trouble) continue;
    emit bench_.message(QString::fromStdString(finding.what + ". " + finding.remedy), true);
  }
  bench_.looks_.setPlanned(wanted_->image);
}

void RunModel::readThen(std::function<void()> act) {
  readFiles();
  if (isReading()) {
    afterReading_ = std::move(act);
    bench_.updateActions();
    emit bench_.planChanged();
    return;
  }
  if (!wantedGood_) {
    bench_.units().fails(problem_);
    return replan();
  }
  act();
}

void RunModel::takeEraseList() {
  const WriteChoice& choice = bench_.choice();
  auto wanted =
      std::make_shared<plan::Wanted>(run::wantedFor(bench_.document().sheet(), bench_.memory(), plan::Task::Erase));
  wanted->ranges = choice.eraseRanges();
  wanted->wholeBlocks = choice.wholeBlocks();
  wanted->skipKept = choice.skipKept();
  if (wanted->ranges.empty()) {
    problem_ = tr("Say what to erase: type a range, or drag over the map.");
  } else if (const auto g = bench_.geometry()) {
    try {
      wanted->image = plan::desiredContents(*wanted, *g);
      wantedGood_ = true;
    } catch (const Error& e) {
      problem_ = told(e);
      emit bench_.message(problem_, true);
    }
  }
  wanted_ = std::move(wanted);
  bench_.looks_.setPlanned(wanted_->image);
}

void RunModel::takeEdits() {
  record_.reset();
  if (bench_.choice().intent() == Intent::Write && wantedGood_ && !wanted_->pieces.empty()) {
    // The files are as they were; only what was typed over them changes.
    auto wanted = std::make_shared<plan::Wanted>(*wanted_);
    wanted->image = combine(wanted->pieces);
    for (const sheet::Edit& e : bench_.document().sheet().editsIn(bench_.memory())) wanted->image.write(e.at, e.bytes);
    for (const sheet::UnitBytes& u : bench_.units().applied(bench_.document().sheet()).unitBytesIn(bench_.memory()))
      wanted->image.write(u.at, u.bytes);
    wanted_ = std::move(wanted);
    bench_.looks_.setPlanned(wanted_->image);
  } else {
    readFiles();
  }
}

void RunModel::replan(bool keepPlan) {
  if (isRunning()) return;
  if (bench_.atDevice()) return planDevice();
  if (!keepPlan) {
    next_.reset();
    if (!record_) plan_.reset();
  }
  if (wantedGood_) {
    bench_.session().plan(wanted_, bench_.geometry());
  } else {
    emit bench_.planChanged();
    bench_.updateActions();
  }
}

void RunModel::planDevice() {
  next_.reset();
  if (!record_) plan_.reset();
  const auto& report = bench_.link().report();
  const std::uint32_t hz = report && report->clockHz != 0 ? report->clockHz : 10'000'000;
  job_ = bench_.device().prepare(hz);
  // Of a device that is only passed by nothing is planned, and its page says why.
  problem_ = bench_.device().isDescribed() ? bench_.device().problem() : QString();
  if (job_) {
    next_ = std::make_shared<const plan::Plan>(job_->plan);
    if (!record_) {
      plan_ = next_;
      steps_.assign(plan_->steps.size(), {});
    }
  }
  emit bench_.planChanged();
  bench_.updateActions();
}

void RunModel::goDevice() {
  planDevice();  // the files as they are now
  if (!job_) return;
  startOther([this] { bench_.session().configure(std::exchange(job_, nullptr)); });
}

void RunModel::compareInBackground() {
  const auto& report = bench_.link().report();
  const BlockLooks& looks = bench_.looks();
  if (!bench_.link().isConnected() || !wantedGood_ || looks.empty() || isRunning() || bench_.neededBridge()) return;
  const auto blocks = looks.plannedBlocks();
  const double seconds = 8.0 * static_cast<double>(RangeSet(blocks).size()) / report->clockHz;
  if (seconds <= kMostSecondsUnasked) bench_.session().readInBackground(bench_.memory(), blocks);
}

void RunModel::start(plan::WantedPtr wanted) {
  last_ = std::move(wanted);
  startOther([this] { bench_.session().run(last_); });
}

void RunModel::startOther(const std::function<void()>& act) {
  record_.reset();
  steps_.clear();
  act();
  bench_.updateActions();
  emit bench_.runChanged();
}

}  // namespace imprimo::app
