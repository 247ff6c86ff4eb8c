// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStringList>
#include <deque>

#include "app/model/workbench.h"
#include "core/pins/package.h"

namespace imprimo::app {

/// The pins of one device: what is at them, what was counted, and what is driven.
class PinsModel : public QObject {
  Q_OBJECT
 public:
  explicit PinsModel(Workbench& bench);

  /// Devices that have a boundary register, by their positions.
  std::vector<std::size_t> devices() const;
  QString nameOf(std::size_t position) const;
  std::size_t position() const { return position_; }
  void setPosition(std::size_t position);
  /// Sampled as long as somebody looks.
  void setLooked(bool looked);

  const pins::BoundaryPorts& ports() const { return ports_; }
  const pins::Package& package() const { return package_; }
  /// What the file says of the device: "WREN_C64 · 48 pins".
  QString words() const;
  /// Whether there is anything sampled of the device by now.
  bool isSampled() const { return !samples_.empty(); }
  const pins::PortSample& sample(std::size_t port) const { return samples_[port]; }
  std::uint64_t edges(std::size_t port) const { return edges_[port]; }
  double samplesPerSecond() const { return rate_; }
  /// Levels of a port's input, the newest last.
  std::vector<bool> trace(std::size_t port) const;

  bool drivesAny() const { return !drives_.empty(); }
  const pins::Drives& drives() const { return drives_; }
  const pins::Drives& alongside() const { return alongside_; }
  /// Why a port cannot be driven; empty where it can.
  QString whyNot(std::size_t port) const;
  void drive(std::size_t port, pins::Level level);
  void letGo();
  /// What is driven, and what is not known or wrong, in a sentence.
  QString state() const;
  QString drivenWords() const;
  /// What would be driven if this port were, to be said before; empty where it cannot be.
  QString wouldDrive(std::size_t port, bool level) const;

 signals:
  void deviceChanged();
  void sampled();
  void changed();  ///< what is driven, or the state

 private:
  void take(const PinNews& news);
  void takeSheet();
  void look();
  void describe();
  QString list(const pins::Drives& drives) const;
  QString behind(const pins::Drives& alongside) const;

  Workbench& bench_;
  std::size_t position_ = 0;
  bool looked_ = false;
  pins::BoundaryPorts ports_;
  pins::Package package_;
  QString problem_;
  std::vector<pins::PortSample> samples_;
  std::vector<std::uint64_t> edges_;
  std::deque<BitVector> captures_;
  double rate_ = 0;
  pins::Drives drives_, alongside_;
};

}  // namespace imprimo::app
