// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStringList>
#include <QTimer>
#include <array>
#include <deque>

#include "app/model/workbench.h"
#include "core/pins/moving_together.h"
#include "core/pins/package.h"

namespace imprimo::app {

/// The pins of one device, or of two: what is at them, what was counted, and what of the first one is driven. Views ask
/// it for each figure that they paint, hence its many functions.
class PinsModel : public QObject {
  Q_OBJECT
 public:
  explicit PinsModel(Workbench& bench);

  /// Devices that have a boundary register, by their positions.
  std::vector<std::size_t> devices() const;
  QString nameOf(std::size_t position) const;
  /// Of the first device, or of the one beside it; 0: none.
  std::size_t position(std::size_t which = 0) const { return seen_[which].position; }
  void setPosition(std::size_t position);
  /// Another device beside the first one, sampled in the same scans; 0: none.
  void setOther(std::size_t position);
  /// Sampled as long as somebody looks.
  void setLooked(bool looked);

  // Of the first device (0) or the one beside it (1); ports by pins::PortOf, which has both.
  const pins::BoundaryPorts& ports(std::size_t which = 0) const { return seen_[which].ports; }
  const pins::Package& package(std::size_t which = 0) const { return seen_[which].package; }
  const pins::BoundaryPort& port(pins::PortOf of) const { return seen_[of.device].ports.ports[of.port]; }
  /// What the file says of the device: "WREN_C64 · 48 pins".
  QString words(std::size_t which = 0) const;
  /// Whether there is anything sampled of the device by now.
  bool isSampled(std::size_t which = 0) const { return !seen_[which].samples.empty(); }
  const pins::PortSample& sample(std::size_t port, std::size_t which = 0) const { return seen_[which].samples[port]; }
  pins::Level level(pins::PortOf of) const;
  /// "the device drives 1", "the device lets it go"; empty where that cannot be seen.
  QString ownDrive(pins::PortOf of) const;
  std::uint64_t edges(pins::PortOf of) const { return seen_[of.device].edges[of.port]; }
  std::uint64_t edges(std::size_t port) const { return edges(pins::PortOf{0, port}); }
  double samplesPerSecond() const { return rate_; }
  /// Levels of a port's input, the newest last.
  std::vector<bool> trace(pins::PortOf of) const;
  /// "IO(12)", and with its device in front where two are shown.
  QString nameOf(pins::PortOf of) const;
  /// Ports that had the same levels and moved; looked for once a second.
  std::vector<pins::PortOf> movesWith(pins::PortOf of) const;

  /// What the sheet says of a port; null where it says nothing.
  const sheet::PinLabel* label(pins::PortOf of) const;
  void setLabel(pins::PortOf of, const QString& name, pins::Level level);
  bool differs(pins::PortOf of) const;
  /// "11 of 12 levels as the sheet has them"; empty where it has none.
  QString checkWords() const;

  bool drivesAny() const { return !drives_.empty(); }
  const pins::Drives& drives() const { return drives_; }
  const pins::Drives& alongside() const { return alongside_; }
  const pins::Clocks& clocks() const { return clocks_; }
  bool isDriven(pins::PortOf of) const;
  /// Why a port cannot be driven; empty where it can.
  QString whyNot(pins::PortOf of) const;
  void drive(std::size_t port, pins::Level level);
  void driveClock(std::size_t port, double hertz);
  void letGo();
  /// What becomes of ports that nobody drives, from the next time on that something is.
  pins::Others others() const { return others_; }
  void setOthers(pins::Others others);
  /// What is driven, and what is not known or wrong, in a sentence.
  QString state() const;
  QString drivenWords() const;
  /// What would be driven if this port were, to be said before; empty where it cannot be.
  QString wouldDrive(std::size_t port, const QString& with) const;

  /// Drives two ports in turn and looks at the other; triedContinuity(). Not while anything is driven.
  void tryContinuity(pins::PortOf from, pins::PortOf to);

 signals:
  void deviceWillChange();  ///< ports that are known by now are none any more
  void deviceChanged();
  void sampled();
  void changed();  ///< what is driven, the labels, or the state
  void triedContinuity(const QString& words);

 private:
  struct Seen {
    std::size_t position = 0;
    pins::BoundaryPorts ports;
    pins::Package package;
    std::vector<pins::PortSample> samples;
    std::vector<std::uint64_t> edges;
    std::deque<BitVector> captures;
    std::deque<BitVector> seldom;  ///< one of each piece of news, for what moves slowly
    void forget();
    void take(const std::vector<BitVector>& captured, const std::vector<std::uint32_t>& more);
  };
  void take(const PinNews& news);
  void takeSheet();
  void look();
  void describe();
  void describe(Seen& seen);
  void stopDriving();
  void driveAll(const pins::Drives& drives, const pins::Clocks& clocks);
  void lookWhatMovesTogether();
  QString list(const pins::Drives& drives) const;
  QString behind(const pins::Drives& alongside) const;

  Workbench& bench_;
  std::array<Seen, 2> seen_;
  bool looked_ = false;
  QString problem_;
  double rate_ = 0;
  pins::Drives drives_, alongside_;
  pins::Clocks clocks_;
  pins::Others others_ = pins::Others::LetGo;
  BitVector own_;  // what the device drove itself, before anything was driven
  std::vector<std::vector<pins::PortOf>> together_;
  QTimer looking_;
};

}  // namespace imprimo::app
