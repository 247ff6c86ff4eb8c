// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/line_desk.h"

#include <QFileInfo>

#include "app/model/workbench.h"
#include "app/session/connect.h"
#include "app/session/help_words.h"
#include "records/unit_run.h"
#include "serial/serial_source.h"

namespace imprimo::app {

LineDesk::LineDesk(Workbench& bench, QObject* parent) : QObject(parent), bench_(bench) {
  const auto state = line::stationLock().state();
  if (!state) return;
  locked_ = state->locked();
  for (const std::string& probe : state->probes) probes_ += QString::fromStdString(probe);
  if (!state->release.empty()) open(QString::fromStdString(state->release));
}

LineDesk::~LineDesk() {
  for (const auto& place : places_) place->end();
  places_.clear();  // nobody is there to be told
}

bool LineDesk::open(const QString& file) {
  if (isWorking()) return false;
  try {
    auto opened = std::make_shared<release::Release>(release::readRelease(file.toStdString(), release::trustedKeys()));
    sheet_ = std::make_shared<const sheet::Sheet>(
        release::sheetOf(*opened, release::releasesFolder(), release::secretsFolder()));
    release_ = std::move(opened);
    file_ = QFileInfo(file).absoluteFilePath();
    problem_.clear();
  } catch (const Error& e) {
    problem_ = told(e);
    emit bench_.message(problem_, true);
    emit changed();
    return false;
  }
  count();
  emit changed();
  return true;
}

void LineDesk::setProbes(const QStringList& addresses) {
  if (isWorking()) return;
  probes_ = addresses.mid(0, kMostPlaces);
  emit changed();
}

void LineDesk::signOn(const QString& name) {
  operator_ = name;
  emit changed();
}

QString LineDesk::missing() const {
  if (!problem_.isEmpty()) return problem_;
  if (!release_) return tr("Open a release.");
  if (probes_.isEmpty()) return tr("Name the probe of each place.");
  if (release_->manifest.line.signOn && operator_.isEmpty()) return tr("Sign on: type a name, or scan a badge.");
  return {};
}

void LineDesk::begin() {
  if (isWorking() || !missing().isEmpty()) return;
  // A probe is in one hand only.
  if (bench_.link().isConnected() && probes_.contains(bench_.link().address())) bench_.disconnectAction->trigger();
  for (const QString& address : probes_) {
    line::Place place;
    probe::ProbeOptions options;
    if (sheet_->clockHz) options.clockHz = *sheet_->clockHz;
    const std::string text = address.toStdString();
    place.bench = {text, "imprimo", options, {}, {}, serial::opener({}, text, options.libraries)};
    place.name = operator_.toStdString();
    places_.push_back(std::make_unique<LinePlace>(release_, sheet_, std::move(place), this));
    connect(places_.back().get(), qOverload<>(&LinePlace::finished), this, &LineDesk::count);
  }
  count();
  emit changed();
}

void LineDesk::end() {
  if (!isWorking()) return;
  for (const auto& place : places_) place->end();  // all of them at once, and then one after the other is waited for
  const auto gone = std::exchange(places_, {});
  emit changed();  // who shows them lets go of them first
}

void LineDesk::lock(const release::SecretText& passphrase) {
  line::StationState state;
  state.release = file_.toStdString();
  for (const QString& probe : probes_) state.probes.push_back(probe.toStdString());
  line::stationLock().lock(std::move(state), passphrase);
  locked_ = true;
  emit changed();
}

void LineDesk::unlock(const release::SecretText& passphrase) {
  line::stationLock().unlock(passphrase);
  locked_ = false;
  emit changed();
}

std::optional<std::uint64_t> LineDesk::left() const {
  if (!release_) return std::nullopt;
  std::optional<std::uint64_t> own;
  if (const auto units = release_->manifest.line.units) own = *units > counts_.goodEver ? *units - counts_.goodEver : 0;
  if (own && ledgerLeft_) return std::min(*own, *ledgerLeft_);
  return own ? own : ledgerLeft_;
}

void LineDesk::count() {
  if (!release_) return;
  counts_ = line::DayBook(line::bookFolder(), release_->id).counts();
  emit countsChanged();
  if (sheet_->units) askLedger();
}

void LineDesk::askLedger() {
  bench_.store().ask(
      this,
      [this, sheet = *sheet_](records::Database& database) -> std::function<void()> {
        std::uint64_t next = 0;
        std::optional<std::uint64_t> left = 0;
        try {
          records::UnitRun unit(sheet, database, {});
          static_cast<void>(unit.planned(true));
          next = unit.unit().id;
          left = unit.capacity();
          if (left) left = *left >= next ? *left - next + 1 : 0;
        } catch (const Error& e) {
          if (e.kind() != ErrorKind::Refused) throw;  // there are no more
        }
        return [this, next, left] {
          nextUnit_ = next;
          ledgerLeft_ = left;
          emit countsChanged();
        };
      },
      [](const QString&) {});
}

}  // namespace imprimo::app
