// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QImage>
#include <QWidget>
#include <memory>

#include "app/device/bit_field_grid.h"
#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "core/base/bit_vector.h"

namespace imprimo::app {

/// All bits that go into a device, dense where ones are many, and how far they have gone: the rest is pale, what was
/// shifted is in the planned colour, what the device confirmed in the one of agreement.
class BitField : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit BitField(QWidget* parent = nullptr);

  /// `owner` keeps `bits` alive. Null: nothing to show, `words` stand there instead.
  void setBits(std::shared_ptr<const BitVector> bits, std::uint64_t rowBits);
  void setWords(const QString& words);
  /// Bits that went over so far.
  void setDone(std::uint64_t done, bool confirmed, bool broken);
  BitFieldGrid grid() const;
  QSize minimumSizeHint() const override { return {200, 120}; }

  QAccessible::Role spokenRole() const override { return QAccessible::Grouping; }
  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void draw(QPainter& painter, const Theme& theme) const;
  /// Share of ones of each cell, 0 to 255; made anew when size or bits change.
  const std::vector<std::uint8_t>& density() const;

  std::shared_ptr<const BitVector> bits_;
  std::uint64_t rowBits_ = 0, done_ = 0;
  bool confirmed_ = false, broken_ = false;
  QString words_;
  mutable std::vector<std::uint8_t> density_;
  mutable QSize densityFor_;
};

}  // namespace imprimo::app
