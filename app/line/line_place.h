// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

#include "line/station.h"

namespace imprimo::app {

/// One place of the line: a probe with its own thread, which nobody else's board can hold up. What happens there is
/// told on the window's thread.
class LinePlace : public QObject, public line::Watcher {
  Q_OBJECT
 public:
  LinePlace(std::shared_ptr<const release::Release> release, std::shared_ptr<const sheet::Sheet> sheet,
            line::Place place, QObject* parent);
  LinePlace(const LinePlace&) = delete;
  LinePlace& operator=(const LinePlace&) = delete;
  ~LinePlace() override;

  const QString& address() const { return address_; }
  line::Phase phase() const { return phase_; }
  /// Why it halted, what is asked for.
  const QString& sentence() const { return sentence_; }
  /// What the last board came to; nothing before one was done.
  const std::optional<line::BoardResult>& last() const { return last_; }
  const QString& step() const { return step_; }
  double part() const { return part_; }
  /// What gets worse at its link; empty for nothing.
  const QString& health() const { return health_; }

  void press() { station_->press(); }
  void give(const QString& value) { station_->give(value.toStdString()); }
  void interrupt() { station_->interrupt(); }
  /// What goes on is left at its next safe place; the thread ends behind it.
  void end();

 signals:
  void changed();
  void finished();  ///< a board had its turn

 private:
  void entered(line::Phase phase, const std::string& sentence) override;
  void advanced(const std::string& step, double part) override;
  void finished(const line::BoardResult& result) override;
  void post(std::function<void()> act);

  std::shared_ptr<const release::Release> release_;
  std::shared_ptr<const sheet::Sheet> sheet_;
  QString address_;
  line::Phase phase_ = line::Phase::AwaitsBoard;
  QString sentence_, step_, health_;
  double part_ = 0;
  std::optional<line::BoardResult> last_;
  QElapsedTimer told_;  // of the working thread
  std::unique_ptr<line::Station> station_;
  std::jthread thread_;  // last: it uses all of the above
};

}  // namespace imprimo::app
