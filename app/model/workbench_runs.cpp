// SPDX-License-Identifier: GPL-3.0-or-later
//
// The one button of the workbench: what it says, and the run that it begins.
#include "app/model/workbench.h"
#include "core/base/number.h"

namespace imprimo::app {

QString Workbench::goText() const {
  const QString name = QString::fromStdString(memory_);
  if (isRunning()) return tr("Stop");
  if (memory_.empty() && !atDevice()) return tr("Nothing to write");
  if (link_ == LinkState::Connecting) return tr("Looking …");
  if (link_ != LinkState::Connected) return tr("Connect a probe…");
  if (atDevice()) return device_.goText();
  if (const auto bridge = neededBridge(); bridge && looks_.empty()) return bridgeAction->text();
  if (intent_ == Intent::Erase) return eraseText();
  if (!next_ || looks_.empty()) return tr("Nothing to write");
  if (nothingToWrite()) return tr("Confirm %1").arg(name);
  if (!planIsSure()) return tr("Compare and write %1").arg(name);
  const std::size_t blocks = next_->blocks.size() - next_->count(plan::BlockFate::Agrees);
  return tr("Write %1 of %2").arg(QString::fromStdString(countText(blocks, "block")), name);
}

bool Workbench::canGo() const {
  if (isRunning()) return true;
  if (atDevice()) return link_ == LinkState::Connected && !findingClock_ && next_;
  if (neededBridge() && looks_.empty()) return link_ == LinkState::Connected && !findingClock_;
  if (intent_ == Intent::Erase && nothingToWrite()) return false;
  return link_ == LinkState::Connected && !findingClock_ && wantedGood_ && next_ && !looks_.empty();
}

/// False where the plan is made of what is from before, or not known at all: the run reads first.
bool Workbench::planIsSure() const {
  return next_ && next_->complete && next_->find(plan::StepKind::Read) == nullptr;
}

bool Workbench::nothingToWrite() const {
  if (!next_ || !next_->complete || next_->blocks.size() != next_->count(plan::BlockFate::Agrees)) return false;
  // Comparing is what then happens, and finds out; to erase nothing on the strength of what was before would not.
  return intent_ == Intent::Write || planIsSure();
}

void Workbench::go() {
  if (isRunning()) {
    session_.stop();
    emit message(tr("Stopping at the next safe place …"), false);
    return;
  }
  if (link_ == LinkState::NotConnected || link_ == LinkState::Mismatch) {
    emit connectRequested();
    return;
  }
  if (!canGo()) return;
  if (atDevice()) return goDevice();
  if (neededBridge() && looks_.empty()) return loadBridge();
  const bool confirms = nothingToWrite();
  readFiles();  // as they are now, not as they were when the sheet was opened
  if (!wantedGood_) return replan();
  plan::Wanted wanted = wanted_;
  if (confirms && intent_ == Intent::Write) wanted.task = plan::Task::Verify;
  startRun(wanted);
}

void Workbench::confirmOnly() {
  if (!canGo() || isRunning()) return;
  readFiles();
  if (!wantedGood_) return replan();
  plan::Wanted wanted = wanted_;
  wanted.task = plan::Task::Verify;
  wanted.restart = false;
  startRun(wanted);
}

void Workbench::goAgain(plan::Wanted::Earlier earlier) {
  if (isRunning() || !record_ || !record_->unfinishedWork) return;
  plan::Wanted wanted = last_;
  wanted.earlier = earlier;
  startRun(wanted);
}

QStringList Workbench::earlierRuns() const {
  const auto found = earlier_.find(memory_);
  return found == earlier_.end() ? QStringList() : found->second;
}

void Workbench::finishEarlier() {
  if (isRunning() || link_ != LinkState::Connected || earlierRuns().isEmpty()) return;
  plan::Wanted wanted = wantedHere(plan::Task::Reach);
  wanted.task = plan::Task::Program;  // of nothing: only what is missing is put back
  wanted.lookAt.clear();
  startRun(wanted);
}

void Workbench::startRun(const plan::Wanted& wanted) {
  last_ = wanted;
  record_.reset();
  steps_.clear();
  session_.run(wanted);
  updateActions();
  emit runChanged();
}

}  // namespace imprimo::app
