// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <vector>

#include "app/look/spoken.h"
#include "app/pins/pins_model.h"

namespace imprimo::app {

/// What some ports did in the last captures, like lines on ruled paper.
class PinTrace : public QWidget, public Spoken {
  Q_OBJECT
 public:
  static constexpr std::size_t kMost = 6;

  explicit PinTrace(PinsModel& model, QWidget* parent = nullptr);
  const std::vector<pins::PortOf>& ports() const { return ports_; }
  /// Adds a port, or takes it away; the oldest goes where there are too many.
  void toggle(pins::PortOf port);

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  PinsModel& model_;
  std::vector<pins::PortOf> ports_;
};

}  // namespace imprimo::app
