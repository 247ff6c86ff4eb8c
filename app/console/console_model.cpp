// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/console/console_model.h"

#include <algorithm>

#include "app/session/connect.h"
#include "core/probe/adapter_card.h"

namespace imprimo::app {

ConsoleModel::ConsoleModel(Workbench& bench) : bench_(bench) {
  BenchSession& session = bench_.session();
  connect(&bench_, &Workbench::sheetChanged, this, &ConsoleModel::takeSheet);
  connect(&bench_, &Workbench::linkChanged, this, [this] {
    if (!bench_.link().isConnected()) problem_.clear();
    if (problem_.isEmpty()) listen();
    emit changed();
  });
  connect(&session, &BenchSession::heard, this, [this](const std::vector<console::Heard>& news) {
    problem_.clear();
    log_.take(news);
  });
  connect(&session, &BenchSession::listeningFailed, this, [this](const QString& why) {
    problem_ = why;
    emit changed();
  });
  // What a run did may have opened what was closed.
  connect(&session, &BenchSession::runFinished, this, [this] {
    if (problem_.isEmpty()) return;
    problem_.clear();
    listen();
    emit changed();
  });
  connect(&session, &BenchSession::saidToTarget, this, [this](qsizetype taken, qsizetype of) {
    if (taken < of)
      emit bench_.message(
          taken == 0 ? tr("The target takes no input.") : tr("The target took %1 of %2 bytes.").arg(taken).arg(of),
          true);
  });
  connect(&log_, &ConsoleLog::grew, this, &ConsoleModel::showNew);
  connect(&log_, &ConsoleLog::cleared, this, [this] {
    shown_.clear();
    seen_ = 0;
    emit shownChanged();
  });
  takeSheet();
}

QStringList ConsoleModel::cores() const {
  QStringList names;
  for (const sheet::CoreEntry& core : bench_.document().sheet().cores) names += QString::fromStdString(core.name);
  return names;
}

void ConsoleModel::takeSheet() {
  if (!cores().contains(core_)) core_ = cores().value(0);
  takeSources();
  problem_.clear();
  listen();
  emit changed();
}

/// As the sheet has them.
void ConsoleModel::takeSources() {
  speech_ = {};
  for (const sheet::CoreEntry& core : bench_.document().sheet().cores) {
    if (core.name == core_.toStdString()) speech_ = core.console;
  }
}

void ConsoleModel::setCore(const QString& core) {
  if (core == core_) return;
  core_ = core;
  takeSources();
  problem_.clear();
  listen();
  emit changed();
}

void ConsoleModel::setOn(bool on) {
  if (on == on_) return;
  on_ = on;
  problem_.clear();
  listen();
  emit changed();
}

bool ConsoleModel::listensTo(const char* source) const {
  return std::count(speech_.sources.begin(), speech_.sources.end(), source) > 0;
}

void ConsoleModel::setSource(const char* source, bool on) {
  std::erase(speech_.sources, source);
  if (on) speech_.sources.emplace_back(source);
  changeSources();
}

QString ConsoleModel::serial() const {
  for (const std::string& source : speech_.sources) {
    if (sheet::serialPortOf(source)) return QString::fromStdString(source);
  }
  return {};
}

void ConsoleModel::setSerial(const QString& source) {
  std::erase_if(speech_.sources, [](const std::string& each) { return sheet::serialPortOf(each).has_value(); });
  if (!source.isEmpty()) speech_.sources.push_back(source.toStdString());
  changeSources();
}

void ConsoleModel::setSerialSettings(const console::SerialSettings& settings) {
  speech_.serial = settings;
  changeSources();
}

void ConsoleModel::changeSources() {
  problem_.clear();
  listen();
  emit changed();
}

std::vector<probe::SerialPort> ConsoleModel::ports() const {
  const probe::ProbeOptions options = probeOptions();
  const auto cards = probe::adapterCards({options.libraries.begin(), options.libraries.end()});
  return probe::listSerialPorts(bench_.session().systemRoot(), cards, bench_.link().address().toStdString());
}

void ConsoleModel::listen() {
  sheet::CoreSpeech speech = speech_;
  if (!on_ || core_.isEmpty()) speech.sources.clear();
  bench_.session().listen(core_.toStdString(), speech);
}

QString ConsoleModel::state() const {
  if (core_.isEmpty()) return tr("The sheet has no core that could say something.");
  if (!on_) return tr("Not listening.");
  if (!problem_.isEmpty()) return problem_;
  if (!bench_.link().isConnected()) return tr("Listening begins when %1 is connected.").arg(core_);
  QStringList what;
  if (listensTo("ring")) what += tr("rings in its RAM");
  if (listensTo("itm")) what += tr("trace on SWO");
  if (listensTo("semihosting")) what += tr("semihosting");
  if (!serial().isEmpty()) what += serial().contains(':') ? serial().section(':', 1) : tr("its serial port");
  if (what.isEmpty()) return tr("Nothing is chosen that could be listened to.");
  const QString last = what.takeLast();
  const QString all = what.isEmpty() ? last : tr("%1 and %2").arg(what.join(", "), last);
  return log_.count() == 0 ? tr("Listening to %1: %2. Nothing was said yet.").arg(core_, all)
                           : tr("Listening to %1: %2.").arg(core_, all);
}

QString ConsoleModel::hearer() const {
  if (!serial().isEmpty()) return tr("the serial port");
  return listensTo("ring") ? tr("the target, by its ring") : QString();
}

bool ConsoleModel::canSay() const {
  return on_ && bench_.link().isConnected() && !bench_.run().isRunning() && !hearer().isEmpty() && !core_.isEmpty();
}

void ConsoleModel::say(const QString& text) {
  if (!canSay()) return;
  const std::string line = text.toStdString() + "\n";
  bench_.session().sayToTarget(core_.toStdString(), Bytes(line.begin(), line.end()));
}

bool ConsoleModel::fits(const QByteArray& text) const {
  return filter_.isEmpty() ||
         QString::fromStdString(console::plainText(text.toStdString())).contains(filter_, Qt::CaseInsensitive);
}

void ConsoleModel::showNew() {
  if (held_) {
    emit changed();
    return;
  }
  const bool first = seen_ == 0;
  for (; seen_ < log_.count(); ++seen_) {
    if (filter_.isEmpty() || fits(log_.bytes(seen_))) shown_.push_back(seen_);
  }
  emit shownGrew();
  if (first) emit changed();
}

void ConsoleModel::setFilter(const QString& letters) {
  if (letters == filter_) return;
  filter_ = letters;
  shown_.clear();
  const std::size_t all = seen_;
  for (seen_ = 0; seen_ < all; ++seen_) {
    if (fits(log_.bytes(seen_))) shown_.push_back(seen_);
  }
  emit shownChanged();
}

void ConsoleModel::setHeld(bool held) {
  held_ = held;
  if (!held_) showNew();
  emit changed();
}

std::optional<std::size_t> ConsoleModel::find(const QString& letters, std::size_t row, bool forward) const {
  if (letters.isEmpty()) return std::nullopt;
  const std::size_t count = shown_.size();
  for (std::size_t i = 1; i <= count; ++i) {
    const std::size_t at = (forward ? row + i : row + 2 * count - i) % count;
    const QString text = QString::fromStdString(console::plainText(log_.bytes(shown_[at]).toStdString()));
    if (text.contains(letters, Qt::CaseInsensitive)) return at;
  }
  return std::nullopt;
}

}  // namespace imprimo::app
