// SPDX-License-Identifier: GPL-3.0-or-later
//
// What of the first device's pins is driven, and what is said of it.
#include "app/pins/pins_model.h"
#include "app/session/help_words.h"

namespace imprimo::app {
namespace {

QString drivenLevel(const pins::Level& level) {
  return !level ? PinsModel::tr("let go") : *level ? "1" : "0";
}

QString hertzText(double hertz) {
  return PinsModel::tr("%1 Hz").arg(hertz, 0, 'g', 6);
}

}  // namespace

bool PinsModel::isDriven(pins::PortOf of) const {
  return of.device == 0 && (drives_.contains(of.port) || alongside_.contains(of.port));
}

QString PinsModel::whyNot(pins::PortOf of) const {
  const QString name = QString::fromStdString(port(of).name);
  if (!port(of).output) return tr("%1 is an input only.").arg(name);
  if (of.device != 0) return tr("Pins of %1 are driven when it is the first device.").arg(nameOf(position(of.device)));
  return {};
}

void PinsModel::drive(std::size_t port, pins::Level level) {
  pins::Drives wanted = drives_;
  pins::Clocks clocks = clocks_;
  clocks.erase(port);
  if (level) {
    wanted[port] = level;
  } else {
    wanted.erase(port);
  }
  driveAll(wanted, clocks);
}

void PinsModel::driveClock(std::size_t port, double hertz) {
  pins::Drives wanted = drives_;
  pins::Clocks clocks = clocks_;
  wanted[port] = false;
  clocks[port] = hertz;
  driveAll(wanted, clocks);
}

void PinsModel::driveAll(const pins::Drives& drives, const pins::Clocks& clocks) {
  if (!isSampled()) return;
  if (drives_.empty()) own_ = seen_[0].captures.back();
  try {
    // What is wrong with it shows before anything changes.
    pins::planDrives(ports(), drives, own_, others_);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return;
  }
  drives_ = drives;
  clocks_ = clocks;
  bench_.session().drivePins(drives_, clocks_, others_);
  emit changed();
}

void PinsModel::setOthers(pins::Others others) {
  if (others == others_) return;
  letGo();
  others_ = others;
  emit changed();
}

void PinsModel::letGo() {
  if (drives_.empty()) return;
  stopDriving();
  bench_.session().drivePins({});
  emit changed();
}

QString PinsModel::list(const pins::Drives& drives) const {
  QStringList all;
  for (const auto& [port, level] : drives) {
    const auto clock = clocks_.find(port);
    all += QString("%1 %2").arg(QString::fromStdString(ports().ports[port].name),
                                clock == clocks_.end() ? drivenLevel(level) : hertzText(clock->second));
  }
  return all.join(", ");
}

QString PinsModel::behind(const pins::Drives& alongside) const {
  // With very many of them a number says more.
  constexpr std::size_t kNamed = 12;
  const QString along = alongside.empty()           ? QString()
                        : alongside.size() > kNamed ? tr("; driven along: %1 ports").arg(alongside.size())
                                                    : tr("; driven along: %1").arg(list(alongside));
  return along + tr("; all others let go.");
}

QString PinsModel::drivenWords() const {
  if (drives_.empty()) return {};
  return tr("%1’s own logic is cut off from its pins. Driven: %2").arg(nameOf(position()), list(drives_)) +
         behind(alongside_);
}

QString PinsModel::wouldDrive(std::size_t port, const QString& with) const {
  if (!isSampled()) return {};
  try {
    const pins::DrivePlan plan = pins::planDrives(ports(), {{port, false}}, seen_[0].captures.back(), others_);
    return tr("From then on %1’s own logic is cut off from all its pins. Driven: %2 %3")
               .arg(nameOf(position()), QString::fromStdString(ports().ports[port].name), with) +
           behind(plan.alongside);
  } catch (const Error&) {
    return {};
  }
}

QString PinsModel::state() const {
  if (position() == 0) return tr("No device of the sheet has a boundary register in its BSDL file.");
  if (!problem_.isEmpty()) return problem_;
  if (!bench_.link().isConnected()) return tr("Pins are sampled when the chain is connected.");
  if (bench_.run().isRunning()) return tr("A run is under way; pins are sampled again behind it.");
  if (!isSampled()) return tr("Nothing sampled yet.");
  const QString check = checkWords();
  return tr("%1 samples a second").arg(qRound(rate_)) + (check.isEmpty() ? QString() : "; " + check);
}

}  // namespace imprimo::app
