// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/pins_model.h"

#include "app/session/help_words.h"
#include "core/base/number.h"
#include "core/pins/continuity.h"

namespace imprimo::app {
namespace {

constexpr std::size_t kTrace = 512;  // captures that are kept for a trace
constexpr int kTogetherEvery = 1000;

}  // namespace

void PinsModel::Seen::forget() {
  samples.clear();
  captures.clear();
  seldom.clear();
}

void PinsModel::Seen::take(const std::vector<BitVector>& captured, const std::vector<std::uint32_t>& more) {
  if (captured.empty() || more.size() != ports.ports.size()) return;
  samples = pins::samplesOf(ports, captured.back());
  for (std::size_t i = 0; i < edges.size(); ++i) edges[i] += more[i];
  seldom.push_back(captured.front());
  if (seldom.size() > kTrace) seldom.pop_front();
  captures.insert(captures.end(), captured.begin(), captured.end());
  while (captures.size() > kTrace) captures.pop_front();
}

PinsModel::PinsModel(Workbench& bench) : bench_(bench) {
  BenchSession& session = bench_.session();
  connect(&bench_, &Workbench::sheetChanged, this, &PinsModel::takeSheet);
  connect(&bench_, &Workbench::linkChanged, this, [this] {
    if (!bench_.link().isConnected()) {
      for (Seen& seen : seen_) seen.forget();
      stopDriving();
      problem_.clear();
    }
    look();
    emit changed();
  });
  connect(&bench_.document(), &SheetDocument::pinLabelsChanged, this, &PinsModel::changed);
  connect(&session, &BenchSession::pinsSampled, this, &PinsModel::take);
  connect(&session, &BenchSession::pinsFailed, this, [this](const QString& why) {
    problem_ = why;
    drives_.clear();
    emit changed();
    emit bench_.message(why, true);
  });
  // A run cuts in, and what was driven is let go for it.
  connect(&session, &BenchSession::runStarted, this, [this] {
    stopDriving();
    emit changed();
  });
  connect(&session, &BenchSession::runFinished, this, &PinsModel::look);
  looking_.setInterval(kTogetherEvery);
  connect(&looking_, &QTimer::timeout, this, &PinsModel::lookWhatMovesTogether);
  takeSheet();
}

void PinsModel::stopDriving() {
  drives_.clear();
  alongside_.clear();
  clocks_.clear();
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
  const auto& chain = bench_.document().sheet().chain;
  // Another sheet may be open already than the one that this is of.
  return position == 0 || position > chain.size() ? QString() : QString::fromStdString(chain[position - 1].name);
}

QString PinsModel::nameOf(pins::PortOf of) const {
  const QString name = QString::fromStdString(port(of).name);
  return seen_[1].position == 0 ? name : tr("%1 of %2").arg(name, nameOf(position(of.device)));
}

void PinsModel::takeSheet() {
  const std::vector<std::size_t> all = devices();
  const auto has = [&](std::size_t position) { return std::find(all.begin(), all.end(), position) != all.end(); };
  if (!has(seen_[0].position)) seen_[0].position = all.empty() ? 0 : all.front();
  if (!has(seen_[1].position) || seen_[1].position == seen_[0].position) seen_[1].position = 0;
  describe();
}

void PinsModel::setPosition(std::size_t position) {
  if (position == seen_[0].position) return;
  letGo();
  if (position == seen_[1].position) seen_[1].position = seen_[0].position;
  seen_[0].position = position;
  describe();
}

void PinsModel::setOther(std::size_t position) {
  if (position == seen_[0].position) position = 0;
  if (position == seen_[1].position) return;
  letGo();
  seen_[1].position = position;
  describe();
}

void PinsModel::describe() {
  emit deviceWillChange();
  problem_.clear();
  together_.clear();
  stopDriving();
  for (Seen& seen : seen_) describe(seen);
  look();
  emit deviceChanged();
  emit changed();
}

void PinsModel::describe(Seen& seen) {
  seen.forget();
  seen.ports = {};
  seen.package = {};
  if (seen.position != 0) {
    try {
      const auto& description = *bench_.document().sheet().chain.at(seen.position - 1).description;
      seen.ports = pins::boundaryPorts(description);
      seen.package = pins::packageOf(description, seen.ports);
    } catch (const Error& e) {
      problem_ = told(e);
    }
  }
  seen.edges.assign(seen.ports.ports.size(), 0);
}

void PinsModel::setLooked(bool looked) {
  looked_ = looked;
  if (!looked) letGo();
  look();
}

void PinsModel::look() {
  const bool looks = looked_ && bench_.link().isConnected() && !ports().ports.empty();
  bench_.session().samplePins(looks ? position(0) : 0, ports(1).ports.empty() ? 0 : position(1));
  if (looks) {
    looking_.start();
  } else {
    looking_.stop();
  }
}

void PinsModel::take(const PinNews& news) {
  if (news.position != position() || news.edges.size() != ports().ports.size()) return;
  problem_.clear();
  seen_[0].take(news.captures, news.edges);
  seen_[1].take(news.also, news.alsoEdges);
  const double rate = static_cast<double>(news.samples) / std::max(news.seconds, 1e-6);
  rate_ = rate_ == 0 ? rate : rate_ * 0.9 + rate * 0.1;
  const bool other = alongside_ != news.alongside;
  alongside_ = news.alongside;
  emit sampled();
  if (other) emit changed();
}

void PinsModel::lookWhatMovesTogether() {
  // Whatever the rate, ports of one net are the same at each time.
  std::array<std::deque<BitVector>, 2> all;
  std::vector<pins::Captured> devices;
  for (std::size_t i = 0; i < seen_.size(); ++i) {
    if (seen_[i].position == 0) continue;
    all[i] = seen_[i].seldom;
    all[i].insert(all[i].end(), seen_[i].captures.begin(), seen_[i].captures.end());
    devices.push_back({&seen_[i].ports, &all[i]});
  }
  together_ = pins::movingTogether(devices);
}

std::vector<pins::PortOf> PinsModel::movesWith(pins::PortOf of) const {
  for (const std::vector<pins::PortOf>& group : together_) {
    if (std::find(group.begin(), group.end(), of) == group.end()) continue;
    std::vector<pins::PortOf> others = group;
    std::erase(others, of);
    return others;
  }
  return {};
}

pins::Level PinsModel::level(pins::PortOf of) const {
  return isSampled(of.device) ? sample(of.port, of.device).in : std::nullopt;
}

QString PinsModel::ownDrive(pins::PortOf of) const {
  // While pins are driven here its own logic is cut off from them.
  if (!isSampled(of.device) || (of.device == 0 && drivesAny())) return {};
  const pins::PortSample& sample = this->sample(of.port, of.device);
  if (!sample.drives) return {};
  if (!*sample.drives) return tr("the device lets it go");
  return sample.out ? tr("the device drives %1").arg(*sample.out ? 1 : 0) : tr("the device drives it");
}

std::vector<bool> PinsModel::trace(pins::PortOf of) const {
  std::vector<bool> levels;
  const auto& input = port(of).input;
  if (!input) return levels;
  levels.reserve(seen_[of.device].captures.size());
  for (const BitVector& capture : seen_[of.device].captures) levels.push_back(capture[*input]);
  return levels;
}

QString PinsModel::words(std::size_t which) const {
  if (position(which) == 0) return {};
  const auto& description = *bench_.document().sheet().chain.at(position(which) - 1).description;
  return tr("%1 · %2").arg(QString::fromStdString(description.entity),
                           QString::fromStdString(countText(package(which).pins.size(), "pin")));
}

const sheet::PinLabel* PinsModel::label(pins::PortOf of) const {
  if (bench_.document().sheet().pins.empty()) return nullptr;
  const QString device = nameOf(position(of.device)), name = QString::fromStdString(port(of).name);
  for (const sheet::PinLabel& label : bench_.document().sheet().pins) {
    if (QString::fromStdString(label.device) == device &&
        QString::fromStdString(label.port).compare(name, Qt::CaseInsensitive) == 0)
      return &label;
  }
  return nullptr;
}

void PinsModel::setLabel(pins::PortOf of, const QString& name, pins::Level level) {
  const sheet::PinLabel* known = label(of);
  bench_.document().setPinLabel({nameOf(position(of.device)).toStdString(), known ? known->port : port(of).name,
                                 name.trimmed().toStdString(), level});
}

bool PinsModel::differs(pins::PortOf of) const {
  const sheet::PinLabel* known = label(of);
  return known != nullptr && known->level && level(of) && level(of) != known->level;
}

QString PinsModel::checkWords() const {
  int checked = 0, as = 0;
  for (std::size_t which = 0; which < seen_.size(); ++which) {
    if (!isSampled(which)) continue;
    for (std::size_t i = 0; i < ports(which).ports.size(); ++i) {
      const sheet::PinLabel* known = label({which, i});
      if (known == nullptr || !known->level) continue;
      ++checked;
      as += differs({which, i}) ? 0 : 1;
    }
  }
  if (checked == 0) return {};
  return as == checked ? tr("all %1 levels as the sheet has them").arg(checked)
                       : tr("%1 of %2 levels as the sheet has them").arg(as).arg(checked);
}

void PinsModel::tryContinuity(pins::PortOf from, pins::PortOf to) {
  if (drivesAny()) return;
  const std::size_t first = position(from.device), second = position(to.device);
  bench_.session().ask(this, [=, this](bench::Bench& bench) -> std::function<void()> {
    QString words;
    try {
      bench.letPinsGo();
      const auto one = bench.openPins(first);
      const auto other = first == second ? nullptr : bench.openPins(second);
      words = QString::fromStdString(pins::checkContinuity(*one, from.port, other ? *other : *one, to.port).words());
    } catch (const Error& e) {
      words = told(e);
    }
    return [this, words] { emit triedContinuity(words); };
  });
}

}  // namespace imprimo::app
