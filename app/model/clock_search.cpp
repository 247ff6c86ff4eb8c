// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/clock_search.h"

namespace imprimo::app {

ClockSearch::ClockSearch(SheetDocument& document, BenchSession& session, LinkModel& link, QObject* parent)
    : QObject(parent), document_(document), session_(session), link_(link) {
  connect(&link_, &LinkModel::connecting, this, [this] {
    found_.reset();
    samples_.clear();
    running_ = false;
    emit changed();
  });
  connect(&session_, &BenchSession::clockSampled, this, [this](const probe::ClockSample& sample) {
    samples_.push_back(sample);
    emit changed();
  });
  connect(&session_, &BenchSession::clockFound, this, [this](const bench::ClockReport& report) {
    running_ = false;
    found_ = report;
    emit message(report.chain.suggested == 0 ? QString::fromStdString(report.chain.why)
                                             : tr("Fastest reliable clock: %1 MHz; %2.")
                                                   .arg(report.chain.suggested / 1e6)
                                                   .arg(QString::fromStdString(report.chain.why)),
                 report.chain.suggested == 0);
    emit changed();
    emit ended();
  });
  connect(&session_, &BenchSession::clockFailed, this, [this](const QString& why) {
    running_ = false;
    emit message(why, true);
    emit changed();
    emit ended();
  });
}

void ClockSearch::find() {
  if (!link_.isConnected() || session_.isBusy() || running_) return;
  running_ = true;
  samples_.clear();
  found_.reset();
  session_.findClock();
  emit message(tr("Looking for the fastest reliable clock …"), false);
  emit changed();
}

void ClockSearch::useSuggested() {
  if (!found_ || found_->chain.suggested == 0 || session_.isBusy()) return;
  std::map<std::string, std::uint32_t> memories;
  for (const auto& [name, clock] : found_->memories) {
    if (clock.problem.empty() && clock.suggested != 0) memories[name] = clock.suggested;
  }
  document_.setClock(found_->chain.suggested, memories);
  link_.setClock(found_->chain.suggested);
  session_.applyClock(document_.sheet());
  emit message(tr("The clock is %1 MHz now; save the sheet to keep it.").arg(found_->chain.suggested / 1e6), false);
  emit changed();
  emit used();
}

}  // namespace imprimo::app
