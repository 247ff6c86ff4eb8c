// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/link_model.h"

#include <QFileInfo>
#include <algorithm>
#include <utility>

#include "app/session/help_words.h"
#include "core/store/user_library.h"

namespace imprimo::app {

LinkModel::LinkModel(SheetDocument& document, BenchSession& session, QObject* parent)
    : QObject(parent), document_(document), session_(session) {
  connect(&session_, &BenchSession::connecting, this, [this](const QString& address) {
    state_ = LinkState::Connecting;
    problem_.clear();
    report_.reset();
    waitLeft_.reset();
    emit connecting();
    emit changed();
    emit message(tr("Looking at %1").arg(address), false);
  });
  connect(&session_, &BenchSession::connected, this, &LinkModel::take);
  connect(&session_, &BenchSession::probesListed, this, &LinkModel::takeProbes);
  connect(&session_, &BenchSession::waiting, this, [this](double left) {
    waitLeft_ = left;
    emit changed();
  });
  connect(&session_, &BenchSession::disconnected, this, [this](const QString& why) {
    state_ = LinkState::NotConnected;
    problem_ = why;
    report_.reset();
    emit lost(why);
  });
  connect(&session_, &BenchSession::devicesLooked, this, [this](const DevicesNews& news) {
    if (!news.problem.isEmpty()) emit message(news.problem, true);
    if (report_ && news.problem.isEmpty()) report_->devices = news.devices;
    emit devicesChanged();
    emit changed();
  });
}

void LinkModel::connectTo(const QString& address, std::optional<std::uint32_t> wait) {
  address_ = address;
  session_.connectTo(address, document_.sheet(), wait);
}

void LinkModel::reconnect() {
  if (!address_.isEmpty() && document_.isOpen() && !session_.isBusy()) connectTo(address_);
}

void LinkModel::forget() {
  session_.disconnectBench();
  report_.reset();
  state_ = LinkState::NotConnected;
  problem_.clear();
}

void LinkModel::disconnectProbe() {
  address_.clear();
  session_.disconnectBench();
  if (state_ == LinkState::NotConnected) return;
  // It was being connected to, of which the session says no more.
  state_ = LinkState::NotConnected;
  problem_.clear();
  report_.reset();
  waitLeft_.reset();
  emit lost({});
}

/// A probe on USB that is gone is told of before somebody asks it something.
void LinkModel::takeProbes(const probe::ProbeListing& listing) {
  std::set<std::string> now;
  for (const probe::ProbeEntry& entry : listing.probes) now.insert(entry.address);
  const std::set<std::string> before = std::exchange(probes_, now);
  const std::string mine = address_.toStdString();
  if (before.contains(mine) && !now.contains(mine) && state_ != LinkState::NotConnected && !session_.isBusy()) {
    session_.disconnectBench();
    state_ = LinkState::NotConnected;
    problem_ = tr("%1 was unplugged").arg(address_);
    report_.reset();
    emit lost(tr("%1 was unplugged. When it is plugged in again, F5 connects.").arg(address_));
    return;
  }
  if (!listed_) {
    listed_ = true;
    return;
  }
  for (const probe::ProbeEntry& entry : listing.probes) {
    if (!before.contains(entry.address))
      emit message(
          tr("%1 was plugged in: %2.").arg(QString::fromStdString(entry.address), QString::fromStdString(entry.what)),
          !entry.usable());
  }
}

bool LinkModel::describeDevice(std::size_t position, const QString& file) {
  if (session_.isBusy()) {
    whyNotDescribed_ = tr("A run is under way; stop it first.");
    emit message(whyNotDescribed_, true);
    return false;
  }
  try {
    document_.describeDevices({{position, file.toStdString()}}, report_ ? &report_->chain : nullptr);
    store::addToLibrary(file.toStdString());
    emit message(tr("Part %1 is described by %2 now.").arg(position).arg(QFileInfo(file).fileName()), false);
  } catch (const Error& e) {
    whyNotDescribed_ = told(e);
    emit message(whyNotDescribed_, true);
    return false;
  }
  return true;
}

const bench::DeviceReport* LinkModel::deviceReport(std::size_t position) const {
  if (!report_) return nullptr;
  const auto found = report_->devices.find(position);
  return found == report_->devices.end() ? nullptr : &found->second;
}

const memory::Identity* LinkModel::identity(const std::string& memory) const {
  if (!report_) return nullptr;
  const auto found = report_->memories.find(memory);
  return found == report_->memories.end() ? nullptr : &found->second;
}

const std::vector<std::uint8_t>& LinkModel::registers(const std::string& memory) const {
  static const std::vector<std::uint8_t> kNone;
  if (!report_) return kNone;
  const auto found = report_->registers.find(memory);
  return found == report_->registers.end() ? kNone : found->second;
}

std::optional<std::string> LinkModel::neededBridge(const std::string& memory) const {
  if (!report_) return std::nullopt;
  const auto found = report_->unloaded.find(memory);
  return found == report_->unloaded.end() ? std::nullopt : std::optional(found->second);
}

void LinkModel::setRegisters(const std::string& memory, const std::vector<std::uint8_t>& values) {
  if (report_) report_->registers[memory] = values;
}

void LinkModel::setClock(std::uint32_t hz) {
  if (report_) report_->clockHz = hz;
}

void LinkModel::take(const ConnectReport& report) {
  report_ = report;
  waitLeft_.reset();
  problem_ = report.message;
  state_ = !report.error                              ? LinkState::Connected
           : report.error == ErrorKind::ChainMismatch ? LinkState::Mismatch
                                                      : LinkState::NotConnected;
  for (const auto& [name, identity] : report.memories) {
    keepCard(name, identity);
  }
  emit reported();
}

const debug::CoreWatch* LinkModel::watched(const std::string& core) const {
  if (!report_) return nullptr;
  const auto found = report_->watched.find(core);
  return found == report_->watched.end() ? nullptr : &found->second;
}

void LinkModel::takeWatch(const std::string& core, const debug::CoreWatch& watch) {
  if (!report_) return;
  report_->watched[core] = watch;
  emit changed();
}

void LinkModel::takeDevices(const run::Record& record) {
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
    // A device that started its own design, or got another one, is a bridge no longer.
    const bool changed = record.device == device || std::any_of(record.devices.begin(), record.devices.end(),
                                                                [&](const auto& p) { return p.name == device; });
    if (changed) report_->unloaded[entry.name] = device;
  }
  if (loaded) session_.lookAtDevices();  // another design runs there now
  emit changed();
}

void LinkModel::keepCard(const std::string& memory, const memory::Identity& identity) {
  if (const std::string card = identity.details->card(memory, false); !card.empty())
    document_.setLastSeen(memory, card);
}

void LinkModel::takeIdentity(const std::string& memory, const memory::Identity& identity,
                             const std::vector<std::uint8_t>& registers) {
  if (!report_) return;
  report_->memories[memory] = identity;
  report_->registers[memory] = registers;
  report_->unloaded.erase(memory);
  report_->memoryErrors.erase(memory);
  keepCard(memory, identity);
}

}  // namespace imprimo::app
