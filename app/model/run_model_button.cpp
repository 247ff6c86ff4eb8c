// SPDX-License-Identifier: GPL-3.0-or-later
//
// The one button: what it says, and the run that it begins.
#include "app/model/run_model.h"
#include "app/model/workbench.h"
#include "core/base/number.h"
#include "core/run/job.h"

namespace imprimo::app {

QString RunModel::goText() const {
  const LinkModel& link = bench_.link();
  const QString name = QString::fromStdString(bench_.memory());
  if (isRunning()) return tr("Stop");
  if (bench_.ways().position() != 0) return bench_.ways().goText();
  if (isReading()) return tr("Stop reading the files");
  if (bench_.memory().empty() && !bench_.atDevice()) return tr("Nothing to write");
  if (link.state() == LinkState::Connecting) return tr("Looking …");
  if (!link.isConnected()) return tr("Connect a probe…");
  if (bench_.atDevice()) return bench_.device().goText();
  if (bench_.neededBridge() && bench_.looks().empty()) return bench_.bridgeAction->text();
  if (bench_.choice().intent() == Intent::Erase) return eraseText();
  if (!next_ || bench_.looks().empty()) return tr("Nothing to write");
  if (bench_.units().reachesBeyond(bench_.memory())) return bench_.sequence().writeUnitText();
  if (nothingToWrite()) return tr("Confirm %1").arg(name);
  if (!planIsSure()) return tr("Compare and write %1").arg(name);
  const std::size_t blocks = next_->blocks.size() - next_->count(plan::BlockFate::Agrees);
  return tr("Write %1 of %2").arg(QString::fromStdString(countText(blocks, "block")), name);
}

QString RunModel::eraseText() const {
  const QString name = QString::fromStdString(bench_.memory());
  if (!problem_.isEmpty() && !bench_.choice().eraseRanges().empty()) return tr("Cannot erase this");
  if (!next_ || bench_.looks().empty() || !wantedGood_ || nothingToWrite()) return tr("Nothing to erase");
  if (!planIsSure()) return tr("Compare and erase %1").arg(name);
  const std::size_t blocks = next_->blocks.size() - next_->count(plan::BlockFate::Agrees);
  return tr("Erase %1 of %2").arg(QString::fromStdString(countText(blocks, "block")), name);
}

bool RunModel::canGo() const {
  if (isRunning()) return true;
  if (bench_.ways().position() != 0) return bench_.ways().canGo();
  if (isReading()) return true;
  const bool free = bench_.link().isConnected() && !bench_.clock().isRunning();
  if (bench_.atDevice()) return free && next_;
  if (bench_.neededBridge() && bench_.looks().empty()) return free;
  if (bench_.choice().intent() == Intent::Erase && nothingToWrite()) return false;
  return free && wantedGood_ && next_ && !bench_.looks().empty();
}

/// False where the plan is made of what is from before, or not known at all: the run reads first.
bool RunModel::planIsSure() const {
  return next_ && next_->complete && next_->find(plan::StepKind::Read) == nullptr;
}

bool RunModel::nothingToWrite() const {
  if (!next_ || !next_->complete || next_->blocks.size() != next_->count(plan::BlockFate::Agrees)) return false;
  // Comparing is what then happens, and finds out; to erase nothing on the strength of what was before would not.
  return bench_.choice().intent() == Intent::Write || planIsSure();
}

void RunModel::go() {
  const LinkState state = bench_.link().state();
  if (isRunning()) {
    bench_.sequence().stop();
    bench_.session().stop();
    emit bench_.message(tr("Stopping at the next safe place …"), false);
    return;
  }
  if (bench_.ways().position() != 0) return bench_.ways().go();
  if (isReading()) {
    reading_.cancel();
    afterReading_ = nullptr;
    problem_ = tr("Reading was stopped: open the sheet again, or change a file, to read them.");
    return replan();
  }
  if (state == LinkState::NotConnected || state == LinkState::Mismatch) {
    emit bench_.connectRequested();
    return;
  }
  if (!canGo()) return;
  if (bench_.atDevice()) return goDevice();
  if (bench_.neededBridge() && bench_.looks().empty()) return bench_.tasks().loadBridge();
  if (bench_.units().isOn() && bench_.choice().intent() == Intent::Write) return goUnit(plan::Wanted::Earlier::Refuse);
  const bool confirms = nothingToWrite();
  // As they are now, not as they were when the sheet was opened.
  readThen([this, confirms] {
    if (!confirms || bench_.choice().intent() == Intent::Erase) return start(wanted_);
    plan::Wanted wanted = *wanted_;
    wanted.task = plan::Task::Verify;
    start(std::make_shared<plan::Wanted>(std::move(wanted)));
  });
}

/// The unit first, and then what is planned with its numbers: in all places that have some of them.
void RunModel::goUnit(plan::Wanted::Earlier earlier) {
  if (bench_.units().reachesBeyond(bench_.memory())) return bench_.sequence().writeUnit(earlier);
  bench_.units().beginThen([this, earlier] {
    readThen([this, earlier] {
      plan::Wanted wanted = *wanted_;
      wanted.earlier = earlier;
      start(std::make_shared<plan::Wanted>(std::move(wanted)));
    });
  });
}

void RunModel::confirmOnly() {
  if (!canGo() || isRunning() || isReading()) return;
  readThen([this] {
    plan::Wanted wanted = *wanted_;
    wanted.task = plan::Task::Verify;
    wanted.restart = false;
    // Which unit this board is, nobody said.
    for (const AddressRange& range : bench_.units().rangesIn(wanted.memory, false)) wanted.image.erase(range);
    start(std::make_shared<plan::Wanted>(std::move(wanted)));
  });
}

void RunModel::goAgain(plan::Wanted::Earlier earlier) {
  if (isRunning() || !record_ || !record_->unfinishedWork) return;
  if (bench_.units().isOn() && last_->task == plan::Task::Program && !last_->restores) return goUnit(earlier);
  plan::Wanted wanted = *last_;
  wanted.earlier = earlier;
  start(std::make_shared<plan::Wanted>(std::move(wanted)));
}

QStringList RunModel::earlierRuns() const {
  const auto found = earlier_.find(bench_.memory());
  return found == earlier_.end() ? QStringList() : found->second;
}

void RunModel::finishEarlier() {
  if (isRunning() || !bench_.link().isConnected() || earlierRuns().isEmpty()) return;
  plan::Wanted wanted = run::wantedFor(bench_.document().sheet(), bench_.memory(), plan::Task::Reach);
  wanted.restart = false;
  wanted.task = plan::Task::Program;  // of nothing: only what is missing is put back
  wanted.lookAt.clear();
  start(std::make_shared<plan::Wanted>(std::move(wanted)));
}

}  // namespace imprimo::app
