// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/workbench.h"

#include <QFileInfo>

#include "core/base/number.h"
#include "core/bench/memory_kinds.h"
#include "core/run/job.h"

namespace imprimo::app {
namespace {

/// Comparing by itself stops being cheap somewhere; past this it is left to the run.
constexpr double kMostSecondsUnasked = 30;
constexpr std::uint64_t kReadAhead = 512;

QString text(const Error& e) {
  return QString::fromStdString(e.full());
}

}  // namespace

Workbench::Workbench(QObject* parent) : QObject(parent) {
  makeActions();
  connectSession();
  connectDevices();
  connect(&document_, &SheetDocument::opened, this, [this] {
    session_.disconnectBench();
    report_.reset();
    link_ = LinkState::NotConnected;
    linkProblem_.clear();
    record_.reset();
    registers_.clear();
    intent_ = Intent::Write;
    wholeBlocks_ = skipKept_ = noErase_ = false;
    device_.lookAt(document_.sheet().memories.empty() ? 1 : 0);
    memory_ = document_.sheet().memories.empty() ? std::string() : document_.sheet().memories.front().name;
    looks_.clear();
    earlier_.clear();
    viewHasChanges_ = false;
    readFiles();
    takeGeometry();
    holdSheet();
    emit sheetChanged();
    emit linkChanged();
    emit memoryChanged();
    replan();
    if (!address_.isEmpty()) connectTo(address_);
  });
  connect(&document_, &SheetDocument::placementsChanged, this, [this] {
    readFiles();
    record_.reset();
    emit placementsChanged();
    emit looksChanged();
    replan();
    compareInBackground();
  });
  connect(&document_, &SheetDocument::editsChanged, this, &Workbench::takeEdits);
  connect(&document_, &SheetDocument::eraseListChanged, this, &Workbench::takeWanted);
  connect(&document_, &SheetDocument::modifiedChanged, this, [this] {
    updateActions();
    emit unsavedChanged();
  });
}

void Workbench::makeActions() {
  const auto make = [this](const char* name, const QString& label, const QKeySequence& key) {
    auto* action = new QAction(label, this);
    action->setObjectName(name);
    action->setShortcut(key);
    return action;
  };
  goAction = make("go", tr("Write"), QKeySequence(Qt::CTRL | Qt::Key_Return));
  confirmAction = make("confirm", tr("confirm only"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Return));
  nextDifferenceAction = make("nextDifference", tr("next difference"), QKeySequence(Qt::Key_F3));
  backAction = make("back", tr("back"), QKeySequence(Qt::ALT | Qt::Key_Left));
  saveAction = make("save", tr("Save"), QKeySequence::Save);
  disconnectAction = make("disconnect", tr("Disconnect"), {});
  gotoAction = make("goto", tr("Go to address"), QKeySequence(Qt::CTRL | Qt::Key_G));
  findAction = make("find", tr("Find bytes or text"), QKeySequence::Find);
  reconnectAction = make("reconnect", tr("Connect again"), QKeySequence(Qt::Key_F5));
  clockAction = make("findClock", tr("Find the fastest clock"), {});
  connect(reconnectAction, &QAction::triggered, this, &Workbench::reconnect);
  connect(clockAction, &QAction::triggered, this, &Workbench::findClock);
  bookmarkAction = make("bookmark", tr("Bookmark this address"), QKeySequence(Qt::CTRL | Qt::Key_B));
  undoEditAction = make("undoEdit", tr("Take back the last byte typed"), QKeySequence::Undo);
  restartAction = make("restartBoard", tr("Restart the board"), {});
  connect(restartAction, &QAction::triggered, this, &Workbench::restartBoard);
  bridgeAction = make("loadBridgeAction", tr("Load the bridge"), {});
  connect(bridgeAction, &QAction::triggered, this, &Workbench::loadBridge);
  connect(undoEditAction, &QAction::triggered, &document_, &SheetDocument::undoEdit);
  connect(goAction, &QAction::triggered, this, &Workbench::go);
  connect(confirmAction, &QAction::triggered, this, &Workbench::confirmOnly);
  connect(nextDifferenceAction, &QAction::triggered, this, &Workbench::jumpToNextDifference);
  connect(backAction, &QAction::triggered, &cursor_, &MemoryCursor::back);
  connect(saveAction, &QAction::triggered, this, &Workbench::saveSheet);
  connect(disconnectAction, &QAction::triggered, this, [this] {
    address_.clear();
    session_.disconnectBench();
  });
  updateActions();
}

void Workbench::connectSession() {
  connect(&session_, &BenchSession::connecting, this, [this](const QString& address) {
    link_ = LinkState::Connecting;
    linkProblem_.clear();
    report_.reset();
    waitLeft_.reset();
    clockReport_.reset();
    clockSamples_.clear();
    earlier_.clear();  // it may be another board
    findingClock_ = false;
    emit linkChanged();
    emit clockChanged();
    emit message(tr("Looking at %1").arg(address), false);
  });
  connect(&session_, &BenchSession::connected, this, &Workbench::applyReport);
  connect(&session_, &BenchSession::waiting, this, [this](double left) {
    waitLeft_ = left;
    emit linkChanged();
  });
  connect(&session_, &BenchSession::clockSampled, this, [this](const probe::ClockSample& sample) {
    clockSamples_.push_back(sample);
    emit clockChanged();
  });
  connect(&session_, &BenchSession::clockFound, this, [this](const bench::ClockReport& report) {
    findingClock_ = false;
    clockReport_ = report;
    emit message(report.chain.suggested == 0 ? QString::fromStdString(report.chain.why)
                                             : tr("Fastest reliable clock: %1 MHz; %2.")
                                                   .arg(report.chain.suggested / 1e6)
                                                   .arg(QString::fromStdString(report.chain.why)),
                 report.chain.suggested == 0);
    emit clockChanged();
    updateActions();
    compareInBackground();
  });
  connect(&session_, &BenchSession::clockFailed, this, [this](const QString& why) {
    findingClock_ = false;
    emit message(why, true);
    emit clockChanged();
    updateActions();
  });
  connect(&session_, &BenchSession::stepWaiting, this, [this](int step, double left) {
    steps_.at(static_cast<std::size_t>(step)).waitLeft = left;
    emit runChanged();
  });
  connect(&session_, &BenchSession::disconnected, this, [this](const QString& why) {
    link_ = LinkState::NotConnected;
    linkProblem_ = why;
    report_.reset();
    looks_.doubt();
    // What went well is no news beside a bench that is gone; what did not stays until it was seen to.
    if (record_ && record_->good()) record_.reset();
    emit linkChanged();
    emit looksChanged();
    emit message(why.isEmpty() ? tr("Disconnected.") : why, !why.isEmpty());
    if (!isRunning()) replan();
    updateActions();
  });
  connect(&session_, &BenchSession::contentsChanged, this, [this](const ContentsUpdate& news) {
    if (news.memory != memory_) return;
    if (news.doubted) looks_.doubt();
    looks_.update(news.touched, news.contents);
    emit looksChanged();
  });
  connect(&session_, &BenchSession::backgroundRead, this, [this] { replan(true); });
  connect(&session_, &BenchSession::planned, this, [this](const PlanPtr& plan) {
    if (isRunning() || atDevice() || plan->memory != memory_) return;
    next_ = plan;
    problem_.clear();
    if (!record_) {  // what happened stays in sight until something else is asked for
      plan_ = plan;
      steps_.assign(plan->steps.size(), {});
    }
    emit planChanged();
    updateActions();
  });
  connect(&session_, &BenchSession::planRefused, this, [this](const QString& why) {
    if (atDevice()) return;
    next_.reset();
    if (!record_) plan_.reset();
    problem_ = why;
    emit planChanged();
    emit message(why, true);
    updateActions();
  });
  connect(&session_, &BenchSession::runPlanned, this, [this](const PlanPtr& plan) {
    plan_ = plan;
    steps_.resize(plan->steps.size());
    emit planChanged();
  });
  connect(&session_, &BenchSession::stepStarted, this, [this](int step) {
    steps_.at(static_cast<std::size_t>(step)).state = StepStatus::Running;
    emit message(QString::fromStdString(plan_->steps.at(static_cast<std::size_t>(step)).title) + " …", false);
    emit runChanged();
  });
  connect(&session_, &BenchSession::stepAdvanced, this, [this](int step, quint64 done) {
    steps_.at(static_cast<std::size_t>(step)).done = done;
    emit runChanged();
  });
  connect(&session_, &BenchSession::stepFinished, this, [this](int step, double seconds) {
    StepStatus& status = steps_.at(static_cast<std::size_t>(step));
    status.state = StepStatus::Done;
    status.seconds = seconds;
    emit runChanged();
  });
  connect(&session_, &BenchSession::earlierFound, this, [this](const QString& memory, const QStringList& runs) {
    earlier_[memory.toStdString()] = runs;
    emit earlierChanged();
  });
  connect(&session_, &BenchSession::registersRead, this, [this](const RegisterNews& news) {
    if (news.memory != memory_) return;
    if (!news.values.empty()) registers_ = news.values;
    if (!news.problem.isEmpty()) emit message(news.problem, true);
    takeProtection();
    emit registersChanged();
    emit looksChanged();
    replan(true);
  });
  // A file of vectors has its own view; here it only matters that the bench is busy, and is to be looked at anew.
  connect(&session_, &BenchSession::runStarted, this, [this] { updateActions(); });
  connect(&session_, &BenchSession::playFinished, this, [this](const PlayReportPtr& report) {
    updateActions();
    emit runChanged();
    if (report->record.error != ErrorKind::LinkLost)
      QMetaObject::invokeMethod(this, &Workbench::reconnect, Qt::QueuedConnection);
  });
  connect(&session_, &BenchSession::runFinished, this, [this](const RecordPtr& record) {
    record_ = record;
    for (StepStatus& status : steps_) {
      if (status.state == StepStatus::Running) status.state = StepStatus::Broken;
    }
    emit message(QString::fromStdString(record->message), !record->good());
    takeDevices(*record);
    keepReadBytes(*record);
    const bool reached = record->outcome == run::Outcome::Done && !record->memory.empty();
    if (reached) record_.reset();  // what comes next is of more interest
    emit deviceChanged();
    emit runChanged();
    replan();
    compareInBackground();
  });
}

std::optional<memory::Geometry> Workbench::geometry() const {
  if (memory_.empty()) return std::nullopt;
  if (report_) {
    const auto found = report_->memories.find(memory_);
    if (found != report_->memories.end()) return found->second.geometry;
  }
  try {
    return bench::geometryOnPaper(document_.sheet(), memory_);
  } catch (const Error&) {
    return std::nullopt;  // a broken card is told of when it is needed
  }
}

void Workbench::takeGeometry() {
  const auto now = geometry();
  if (!now) {
    // The planned bytes can be looked at all the same.
    looks_.clear();
    looks_.setPlanned(wanted_.image);
    cursor_.reset(wanted_.image.extent().end);
    return;
  }
  if (looks_.empty() || !(looks_.geometry() == *now)) {
    looks_.reset(*now, document_.sheet().keptIn(memory_));
    takeProtection();
    looks_.setPlanned(wanted_.image);
    cursor_.reset(now->size);
  }
}

void Workbench::selectMemory(const std::string& name) {
  if (isRunning() || (name == memory_ && !atDevice())) return;
  const bool same = name == memory_;
  if (atDevice()) {
    record_.reset();
    device_.lookAt(0);
  }
  if (same) {
    emit memoryChanged();
    replan();
    return;
  }
  memory_ = name;
  registers_.clear();
  looks_.clear();
  record_.reset();
  readFiles();
  takeGeometry();
  emit memoryChanged();
  replan();
  compareInBackground();
}

void Workbench::readFiles() {
  wanted_ = {};
  wantedGood_ = false;
  problem_.clear();
  if (memory_.empty()) return;
  if (intent_ == Intent::Erase) return takeEraseList();
  try {
    if (document_.sheet().editsIn(memory_).empty() && document_.sheet().placementsIn(memory_).empty()) {
      wanted_.memory = memory_;
      problem_ = tr("Add a file: nothing is placed in %1 yet.").arg(QString::fromStdString(memory_));
    } else {
      wanted_ = run::wantedFor(document_.sheet(), memory_, plan::Task::Program);
      wanted_.noErase = noErase_;
      wantedGood_ = true;
      for (const Finding& finding : run::lookedOver(document_.sheet(), wanted_)) {
        if (finding.level != Finding::Trouble) continue;
        emit message(QString::fromStdString(finding.what + ". " + finding.remedy), true);
      }
    }
  } catch (const Error& e) {
    problem_ = text(e);
    emit message(problem_, true);
  }
  looks_.setPlanned(wanted_.image);
}

void Workbench::replan(bool keepPlan) {
  if (isRunning()) return;
  if (atDevice()) return planDevice();
  if (!keepPlan) {
    next_.reset();
    if (!record_) plan_.reset();
  }
  if (wantedGood_) {
    session_.plan(wanted_, geometry());
  } else {
    emit planChanged();
    updateActions();
  }
}

void Workbench::compareInBackground() {
  if (link_ != LinkState::Connected || !wantedGood_ || looks_.empty() || isRunning() || neededBridge()) return;
  const auto blocks = looks_.plannedBlocks();
  const double seconds = 8.0 * static_cast<double>(RangeSet(blocks).size()) / report_->clockHz;
  if (seconds <= kMostSecondsUnasked) session_.readInBackground(memory_, blocks);
}

void Workbench::addFile(const QString& path) {
  if (memory_.empty()) return;
  std::optional<std::uint64_t> at;
  try {
    // A file without addresses begins where the cursor is, so that it can be seen and corrected.
    if (!readImageFile(path.toStdString()).hasAddresses) at = cursor_.position();
  } catch (const Error& e) {
    emit message(text(e), true);
    return;
  }
  document_.addFile(memory_, path, at);
}

void Workbench::jumpToNextDifference() {
  if (const auto address = looks_.nextDifference(cursor_.position())) cursor_.jumpTo(*address);
}

void Workbench::show(const AddressRange& range) {
  if (link_ != LinkState::Connected || isRunning() || looks_.empty() || neededBridge()) return;
  const AddressRange whole{0, looks_.geometry().size};
  const AddressRange wide{range.begin < kReadAhead ? 0 : range.begin - kReadAhead, range.end + kReadAhead};
  if (!looks_.isSure(whole.cut(range))) session_.readForView(memory_, whole.cut(wide));
}

void Workbench::updateActions() {
  const auto bridge = neededBridge();
  bridgeAction->setVisible(bridge.has_value());
  bridgeAction->setEnabled(link_ == LinkState::Connected && !isRunning() && !findingClock_);
  if (bridge) bridgeAction->setText(tr("Load the bridge into %1").arg(QString::fromStdString(*bridge)));
  goAction->setText(goText());
  const bool offersConnect = document_.isOpen() && (link_ == LinkState::NotConnected || link_ == LinkState::Mismatch);
  goAction->setEnabled(canGo() || offersConnect);
  confirmAction->setEnabled(canGo() && !isRunning() && intent_ == Intent::Write && !atDevice() && !looks_.empty());
  restartAction->setEnabled(link_ == LinkState::Connected && !isRunning() && !findingClock_);
  undoEditAction->setEnabled(document_.canUndoEdit() && !isRunning());
  saveAction->setEnabled(document_.isOpen() && isUnsaved());
  disconnectAction->setEnabled(link_ != LinkState::NotConnected);
  bookmarkAction->setEnabled(!memory_.empty());
  reconnectAction->setEnabled(document_.isOpen() && !address_.isEmpty() && !isRunning());
  clockAction->setEnabled(link_ == LinkState::Connected && !isRunning() && !findingClock_);
}

}  // namespace imprimo::app
