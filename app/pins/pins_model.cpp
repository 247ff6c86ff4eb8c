// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/pins_model.h"

#include "app/session/help_words.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr std::size_t kTrace = 512;  // captures that are kept for a trace

QString levelWord(const pins::Level& level) {
  return !level ? PinsModel::tr("let go") : *level ? "1" : "0";
}

}  // namespace

PinsModel::PinsModel(Workbench& bench) : bench_(bench) {
  BenchSession& session = bench_.session();
  connect(&bench_, &Workbench::sheetChanged, this, &PinsModel::takeSheet);
  connect(&bench_, &Workbench::linkChanged, this, [this] {
    if (!bench_.link().isConnected()) {
      samples_.clear();
      captures_.clear();
      drives_.clear();
      alongside_.clear();
      problem_.clear();
    }
    look();
    emit changed();
  });
  connect(&session, &BenchSession::pinsSampled, this, &PinsModel::take);
  connect(&session, &BenchSession::pinsFailed, this, [this](const QString& why) {
    problem_ = why;
    drives_.clear();
    emit changed();
    emit bench_.message(why, true);
  });
  // A run cuts in, and what was driven is let go for it.
  connect(&session, &BenchSession::runStarted, this, [this] {
    drives_.clear();
    alongside_.clear();
    emit changed();
  });
  connect(&session, &BenchSession::runFinished, this, &PinsModel::look);
  takeSheet();
}

std::vector<std::size_t> PinsModel::devices() const {
  std::vector<std::size_t> all;
  const auto& chain = bench_.document().sheet().chain;
  for (std::size_t i = 0; i < chain.size(); ++i) {
    if (chain[i].description && !chain[i].description->cells.empty()) all.push_back(i + 1);
  }
  return all;
}

QString PinsModel::nameOf(std::size_t position) const {
  return QString::fromStdString(bench_.document().sheet().chain.at(position - 1).name);
}

void PinsModel::takeSheet() {
  const std::vector<std::size_t> all = devices();
  if (std::find(all.begin(), all.end(), position_) == all.end()) position_ = all.empty() ? 0 : all.front();
  describe();
  look();
  emit deviceChanged();
  emit changed();
}

void PinsModel::setPosition(std::size_t position) {
  if (position == position_) return;
  letGo();
  position_ = position;
  describe();
  look();
  emit deviceChanged();
  emit changed();
}

void PinsModel::describe() {
  ports_ = {};
  package_ = {};
  samples_.clear();
  captures_.clear();
  drives_.clear();
  alongside_.clear();
  problem_.clear();
  if (position_ != 0) {
    try {
      const auto& description = *bench_.document().sheet().chain.at(position_ - 1).description;
      ports_ = pins::boundaryPorts(description);
      package_ = pins::packageOf(description, ports_);
    } catch (const Error& e) {
      problem_ = told(e);
    }
  }
  edges_.assign(ports_.ports.size(), 0);
}

void PinsModel::setLooked(bool looked) {
  looked_ = looked;
  if (!looked) letGo();
  look();
}

void PinsModel::look() {
  bench_.session().samplePins(looked_ && bench_.link().isConnected() && !ports_.ports.empty() ? position_ : 0);
}

void PinsModel::take(const PinNews& news) {
  if (news.position != position_ || news.edges.size() != ports_.ports.size()) return;
  problem_.clear();
  samples_ = pins::samplesOf(ports_, news.captures.back());
  for (std::size_t i = 0; i < edges_.size(); ++i) edges_[i] += news.edges[i];
  captures_.insert(captures_.end(), news.captures.begin(), news.captures.end());
  while (captures_.size() > kTrace) captures_.pop_front();
  const double rate = static_cast<double>(news.samples) / std::max(news.seconds, 1e-6);
  rate_ = rate_ == 0 ? rate : rate_ * 0.9 + rate * 0.1;
  const bool other = alongside_ != news.alongside;
  alongside_ = news.alongside;
  emit sampled();
  if (other) emit changed();
}

std::vector<bool> PinsModel::trace(std::size_t port) const {
  std::vector<bool> levels;
  const auto& input = ports_.ports[port].input;
  if (!input) return levels;
  levels.reserve(captures_.size());
  for (const BitVector& capture : captures_) levels.push_back(capture[*input]);
  return levels;
}

QString PinsModel::words() const {
  if (position_ == 0) return {};
  const auto& description = *bench_.document().sheet().chain.at(position_ - 1).description;
  return tr("%1 · %2").arg(QString::fromStdString(description.entity),
                           QString::fromStdString(countText(package_.pins.size(), "pin")));
}

QString PinsModel::whyNot(std::size_t port) const {
  const pins::BoundaryPort& of = ports_.ports[port];
  return of.output ? QString() : tr("%1 is an input only.").arg(QString::fromStdString(of.name));
}

void PinsModel::drive(std::size_t port, pins::Level level) {
  if (!isSampled() || !whyNot(port).isEmpty()) return;
  pins::Drives wanted = drives_;
  if (level) {
    wanted[port] = level;
  } else {
    wanted.erase(port);
  }
  try {
    // What is wrong with it shows before anything changes.
    pins::planDrives(ports_, wanted, captures_.back());
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return;
  }
  drives_ = wanted;
  bench_.session().drivePins(drives_);
  emit changed();
}

void PinsModel::letGo() {
  if (drives_.empty()) return;
  drives_.clear();
  bench_.session().drivePins({});
  emit changed();
}

QString PinsModel::list(const pins::Drives& drives) const {
  QStringList all;
  for (const auto& [port, level] : drives)
    all += QString("%1 %2").arg(QString::fromStdString(ports_.ports[port].name), levelWord(level));
  return all.join(", ");
}

QString PinsModel::behind(const pins::Drives& alongside) const {
  return (alongside.empty() ? QString() : tr("; driven along: %1").arg(list(alongside))) + tr("; all others let go.");
}

QString PinsModel::drivenWords() const {
  if (drives_.empty()) return {};
  return tr("%1’s own logic is cut off from its pins. Driven: %2").arg(nameOf(position_), list(drives_)) +
         behind(alongside_);
}

QString PinsModel::wouldDrive(std::size_t port, bool level) const {
  if (!isSampled()) return {};
  try {
    const pins::Drives wanted{{port, level}};
    const pins::DrivePlan plan = pins::planDrives(ports_, wanted, captures_.back());
    return tr("From then on %1’s own logic is cut off from all its pins. Driven: %2")
               .arg(nameOf(position_), list(wanted)) +
           behind(plan.alongside);
  } catch (const Error&) {
    return {};
  }
}

QString PinsModel::state() const {
  if (position_ == 0) return tr("No device of the sheet has a boundary register in its BSDL file.");
  if (!problem_.isEmpty()) return problem_;
  if (!bench_.link().isConnected()) return tr("Pins are sampled when the chain is connected.");
  if (bench_.run().isRunning()) return tr("A run is under way; pins are sampled again behind it.");
  if (!isSampled()) return tr("Nothing sampled yet.");
  return tr("%1 samples a second").arg(qRound(rate_));
}

}  // namespace imprimo::app
