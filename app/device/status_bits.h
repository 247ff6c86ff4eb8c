// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "core/bench/device_config.h"

namespace imprimo::app {

/// A device's status bits by name: a filled dot for a set bit, a ring for one that is not, and a sign on a set one that
/// means trouble. Bits that changed since `before` are underlined.
class StatusBits : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit StatusBits(QWidget* parent = nullptr);
  void show(const std::vector<bench::DeviceReport::Bit>& bits,
            const std::vector<bench::DeviceReport::Bit>& before = {});
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override { return {160, sizeHint().height()}; }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int width) const override;

  QAccessible::Role spokenRole() const override { return QAccessible::Grouping; }
  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  int columns(int width) const;
  QRect cellOf(std::size_t index) const;
  bool changed(const bench::DeviceReport::Bit& bit) const;

  std::vector<bench::DeviceReport::Bit> bits_, before_;
};

}  // namespace imprimo::app
