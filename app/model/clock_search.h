// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <optional>
#include <vector>

#include "app/model/link_model.h"

namespace imprimo::app {

/// The search for the fastest sound clock: going on, and what it found.
class ClockSearch : public QObject {
  Q_OBJECT
 public:
  ClockSearch(SheetDocument& document, BenchSession& session, LinkModel& link, QObject* parent = nullptr);

  bool isRunning() const { return running_; }
  const std::vector<probe::ClockSample>& samples() const { return samples_; }
  const std::optional<bench::ClockReport>& found() const { return found_; }
  void find();
  /// The sheet has the clock that was found from now on, and the bench runs at it.
  void useSuggested();

 signals:
  void changed();  ///< samples or report
  void ended();
  void used();
  void message(const QString& text, bool trouble);

 private:
  SheetDocument& document_;
  BenchSession& session_;
  LinkModel& link_;
  bool running_ = false;
  std::vector<probe::ClockSample> samples_;
  std::optional<bench::ClockReport> found_;
};

}  // namespace imprimo::app
