// SPDX-License-Identifier: GPL-3.0-or-later
//
// The workbench's side of the link: connecting, what was found, descriptions of parts, and the clock.
#include <QFileInfo>

#include "app/model/workbench.h"
#include "core/base/number.h"
#include "core/flash/card_check.h"
#include "core/store/user_library.h"

namespace imprimo::app {

void Workbench::connectTo(const QString& address, std::optional<std::uint32_t> wait) {
  address_ = address;
  session_.connectTo(address, document_.sheet(), wait);
  updateActions();
}

void Workbench::reconnect() {
  if (!address_.isEmpty() && document_.isOpen() && !isRunning()) connectTo(address_);
}

bool Workbench::describeDevice(std::size_t position, const QString& file) {
  if (isRunning()) return false;
  try {
    document_.describeDevice(position, file);
    store::addToLibrary(file.toStdString());
    emit message(tr("Part %1 is described by %2 now.").arg(position).arg(QFileInfo(file).fileName()), false);
  } catch (const Error& e) {
    emit message(QString::fromStdString(e.full()), true);
    return false;
  }
  emit linkChanged();
  reconnect();
  return true;
}

void Workbench::findClock() {
  if (link_ != LinkState::Connected || isRunning() || findingClock_) return;
  findingClock_ = true;
  clockSamples_.clear();
  clockReport_.reset();
  session_.findClock();
  emit message(tr("Looking for the fastest reliable clock …"), false);
  emit clockChanged();
  updateActions();
}

void Workbench::useSuggestedClock() {
  if (!clockReport_ || clockReport_->chain.suggested == 0 || isRunning()) return;
  std::map<std::string, std::uint32_t> memories;
  for (const auto& [name, clock] : clockReport_->memories) {
    if (clock.problem.empty() && clock.suggested != 0) memories[name] = clock.suggested;
  }
  document_.setClock(clockReport_->chain.suggested, memories);
  if (report_) report_->clockHz = clockReport_->chain.suggested;
  session_.applyClock(document_.sheet());
  emit message(tr("The clock is %1 MHz now; save the sheet to keep it.").arg(clockReport_->chain.suggested / 1e6),
               false);
  emit linkChanged();
  emit clockChanged();
  replan();
}

void Workbench::applyReport(const ConnectReport& report) {
  report_ = report;
  waitLeft_.reset();
  linkProblem_ = report.message;
  link_ = !report.error                              ? LinkState::Connected
          : report.error == ErrorKind::ChainMismatch ? LinkState::Mismatch
                                                     : LinkState::NotConnected;
  for (const auto& [name, identity] : report.memories) {
    document_.setLastSeen(name, identity.details->card(name, false));
  }
  registers_.clear();
  if (const auto read = report.registers.find(memory_); read != report.registers.end()) registers_ = read->second;
  // What was known of the same part is shown as from before until it is read again.
  const memory::Identity* now = identity();
  const bool same = now != nullptr && shown_ && shown_->samePart(*now);
  if (same) {
    looks_.doubt();
  } else {
    looks_.clear();
  }
  shown_ = now != nullptr ? std::optional(*now) : std::nullopt;
  if (intent_ == Intent::Erase) readFiles();  // what is erased depends on the part's size
  takeGeometry();
  emit linkChanged();
  emit memoryChanged();
  if (report.error) {
    emit message(report.message, true);
  } else {
    emit message(tr("Chain examined: %1, %2 instruction bits, all as the sheet expects.")
                     .arg(QString::fromStdString(countText(report.chain.devices.size(), "part")))
                     .arg(report.chain.irTotal),
                 false);
  }
  for (const auto& [name, why] : report.memoryErrors) emit message(why, true);
  replan();
  compareInBackground();
  updateActions();
}

}  // namespace imprimo::app
