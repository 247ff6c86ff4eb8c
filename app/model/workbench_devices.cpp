// SPDX-License-Identifier: GPL-3.0-or-later
//
// The workbench's side of parts that are configured themselves, and of the bridge that a memory is reached through.
#include <QFileInfo>
#include <algorithm>
#include <utility>

#include "app/model/workbench.h"
#include "core/flash/card_check.h"

namespace imprimo::app {

void Workbench::connectDevices() {
  connect(&device_, &DeviceWork::changed, this, [this] {
    if (!isRunning()) {
      record_.reset();
      replan();
    }
    emit deviceChanged();
  });
  connect(&session_, &BenchSession::devicesLooked, this, [this](const DevicesNews& news) {
    if (!news.problem.isEmpty()) emit message(news.problem, true);
    if (report_ && news.problem.isEmpty()) report_->devices = news.devices;
    emit deviceChanged();
    emit linkChanged();
  });
  connect(&session_, &BenchSession::memoryIdentified, this, &Workbench::takeIdentity);
}

void Workbench::selectDevice(std::size_t position) {
  if (isRunning() || position == device_.position()) return;
  record_.reset();
  device_.lookAt(position);
  emit memoryChanged();
  if (link_ == LinkState::Connected) session_.lookAtDevices();
}

void Workbench::fileForDevice(std::size_t position, const QString& path) {
  if (isRunning()) return;
  selectDevice(position);
  device_.setFile(path);
}

void Workbench::useConfigCard(std::size_t position, const QString& file) {
  if (isRunning()) return;
  document_.setConfigCard(position, file);
  emit message(tr("%1 is configured by %2 now; save the sheet to keep that.")
                   .arg(QString::fromStdString(document_.sheet().chain[position - 1].name), QFileInfo(file).fileName()),
               false);
  if (device_.position() == position) device_.lookAt(position);
  reconnect();
}

void Workbench::planDevice() {
  next_.reset();
  if (!record_) plan_.reset();
  const std::uint32_t hz = report_ && report_->clockHz != 0 ? report_->clockHz : 10'000'000;
  job_ = device_.prepare(hz);
  problem_ = device_.problem();
  if (job_) {
    auto plan = std::make_shared<const plan::Plan>(job_->plan);
    next_ = plan;
    if (!record_) {
      plan_ = plan;
      steps_.assign(plan->steps.size(), {});
    }
  }
  emit planChanged();
  updateActions();
}

void Workbench::goDevice() {
  planDevice();  // the files as they are now
  if (!job_) return;
  record_.reset();
  steps_.clear();
  session_.configure(std::exchange(job_, nullptr));
  updateActions();
  emit runChanged();
}

void Workbench::loadBridge() {
  if (canAsk() && neededBridge()) startRun(wantedHere(plan::Task::Reach));
}

void Workbench::restartBoard() {
  if (link_ != LinkState::Connected || isRunning() || findingClock_) return;
  record_.reset();
  steps_.clear();
  session_.restart();
  updateActions();
  emit runChanged();
}

const bench::DeviceReport* Workbench::deviceReport(std::size_t position) const {
  if (!report_) return nullptr;
  const auto found = report_->devices.find(position);
  return found == report_->devices.end() ? nullptr : &found->second;
}

std::optional<std::string> Workbench::neededBridge() const {
  if (!report_ || atDevice()) return std::nullopt;
  const auto found = report_->unloaded.find(memory_);
  return found == report_->unloaded.end() ? std::nullopt : std::optional(found->second);
}

/// What a run says of parts at its end, and what that means for the memories behind them.
void Workbench::takeDevices(const run::Record& record) {
  if (!report_) return;
  const auto& chain = document_.sheet().chain;
  for (const bench::DeviceReport& device : record.devices) {
    for (std::size_t i = 0; i < chain.size(); ++i) {
      if (chain[i].name == device.name) report_->devices[i + 1] = device;
    }
  }
  bool loaded = false;
  for (const run::RanStep& step : record.steps)
    loaded = loaded || (step.finished && step.step.kind == plan::StepKind::LoadBridge);
  for (const sheet::MemoryEntry& entry : document_.sheet().memories) {
    const sheet::RoutePtr& route = entry.route;
    if (!route->load) continue;
    const std::string& device = chain[route->position - 1].name;
    if (loaded && entry.name == record.memory) report_->unloaded.erase(entry.name);
    // A part that started its own design, or got another one, is a bridge no longer.
    const bool changed = record.device == device || std::any_of(record.devices.begin(), record.devices.end(),
                                                                [&](const auto& p) { return p.name == device; });
    if (changed) report_->unloaded[entry.name] = device;
  }
  if (loaded) session_.lookAtDevices();  // another design runs there now
  emit linkChanged();
}

void Workbench::takeIdentity(const std::string& name, const memory::Identity& identity,
                             const std::vector<std::uint8_t>& registers) {
  if (!report_) return;
  report_->memories[name] = identity;
  report_->registers[name] = registers;
  report_->unloaded.erase(name);
  report_->memoryErrors.erase(name);
  document_.setLastSeen(name, identity.details->card(name, false));
  if (name != memory_) return;
  registers_ = registers;
  const bool fresh = looks_.empty() || !(looks_.geometry() == identity.geometry);
  if (fresh) looks_.clear();
  shown_ = identity;
  takeGeometry();
  emit linkChanged();
  if (fresh) emit memoryChanged();
  replan();
  compareInBackground();
}

}  // namespace imprimo::app
