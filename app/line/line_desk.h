// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>
#include <memory>
#include <vector>

#include "app/line/line_place.h"
#include "line/station_lock.h"
#include "line/today.h"

namespace imprimo::app {

class Workbench;

/// The line of this computer: one release, and up to sixteen places that work through boards with it.
class LineDesk : public QObject {
  Q_OBJECT
 public:
  static constexpr int kMostPlaces = 16;

  explicit LineDesk(Workbench& bench, QObject* parent = nullptr);
  ~LineDesk() override;

  /// Opens a release whose signature this station trusts; false, with a message, where that cannot be.
  bool open(const QString& file);
  /// Null where none is open.
  const release::Release* release() const { return release_.get(); }
  const QString& file() const { return file_; }

  const QStringList& probes() const { return probes_; }
  void setProbes(const QStringList& addresses);
  const QString& operatorName() const { return operator_; }
  void signOn(const QString& name);
  /// Why it cannot begin; empty where it can.
  QString missing() const;

  /// All places begin to wait for boards.
  void begin();
  /// Runs are left at their next safe place.
  void end();
  bool isWorking() const { return !places_.empty(); }
  const std::vector<std::unique_ptr<LinePlace>>& places() const { return places_; }

  bool isLocked() const { return locked_; }
  /// Throws what StationLock does.
  void lock(const release::SecretText& passphrase);
  void unlock(const release::SecretText& passphrase);

  const line::DayBook::Counts& counts() const { return counts_; }
  /// Good ones that are left of the release's limit, or the ledger's; nothing: no end.
  std::optional<std::uint64_t> left() const;
  /// The ledger's next one; 0: not known.
  std::uint64_t nextUnit() const { return nextUnit_; }

 signals:
  void changed();  ///< release, probes, operator, whether it works, whether it is locked
  void countsChanged();

 private:
  void count();
  void askLedger();

  Workbench& bench_;
  QString file_, operator_, problem_;
  QStringList probes_;
  std::shared_ptr<const release::Release> release_;
  std::shared_ptr<const sheet::Sheet> sheet_;
  std::vector<std::unique_ptr<LinePlace>> places_;
  line::DayBook::Counts counts_;
  std::optional<std::uint64_t> ledgerLeft_;
  std::uint64_t nextUnit_ = 0;
  bool locked_ = false;
};

}  // namespace imprimo::app
