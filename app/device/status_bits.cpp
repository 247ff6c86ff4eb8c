// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/device/status_bits.h"

#include <QPainter>
#include <algorithm>

namespace imprimo::app {
namespace {
constexpr int kRow = 24, kColumn = 168;
}

StatusBits::StatusBits(QWidget* parent) : QWidget(parent) {
  setObjectName("statusBits");
  setAccessibleName(tr("Status"));
  speaksFor(this);
  QSizePolicy policy(QSizePolicy::Preferred, QSizePolicy::Fixed);
  policy.setHeightForWidth(true);
  setSizePolicy(policy);
}

void StatusBits::show(const std::vector<bench::DeviceReport::Bit>& bits,
                      const std::vector<bench::DeviceReport::Bit>& before) {
  bits_ = bits;
  before_ = before;
  setVisible(!bits_.empty());
  updateGeometry();
  update();
}

int StatusBits::columns(int width) const {
  return std::max(1, width / kColumn);
}

QRect StatusBits::cellOf(std::size_t index) const {
  const int across = columns(width()), wide = width() / across, at = static_cast<int>(index);
  return {at % across * wide, at / across * kRow, wide, kRow};
}

int StatusBits::spokenCount() const {
  return static_cast<int>(bits_.size());
}

SpokenItem StatusBits::spokenItem(int index) const {
  const bench::DeviceReport::Bit& bit = bits_[static_cast<std::size_t>(index)];
  SpokenItem item;
  item.name = tr("Bit %1, %2").arg(bit.number).arg(QString::fromStdString(bit.name));
  item.value = bit.set ? tr("set") : tr("not set");
  if (bit.set && bit.trouble) item.value += tr(", which means trouble");
  if (changed(bit)) item.value += tr(", changed");
  item.isOn = bit.set;
  item.role = QAccessible::StaticText;
  item.rect = cellOf(static_cast<std::size_t>(index));
  return item;
}

QSize StatusBits::sizeHint() const {
  return {3 * kColumn, heightForWidth(std::max(width(), 160))};
}

int StatusBits::heightForWidth(int width) const {
  const int n = columns(width);
  return (static_cast<int>(bits_.size()) + n - 1) / n * kRow;
}

bool StatusBits::changed(const bench::DeviceReport::Bit& bit) const {
  return std::any_of(before_.begin(), before_.end(),
                     [&](const auto& b) { return b.number == bit.number && b.set != bit.set; });
}

void StatusBits::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& theme = Theme::current();
  for (std::size_t i = 0; i < bits_.size(); ++i) {
    const bench::DeviceReport::Bit& bit = bits_[i];
    const QRect cell = cellOf(i);
    const bool wrong = bit.set && bit.trouble && isEnabled();
    const QColor color = !isEnabled() ? theme.line : wrong ? theme.differs : bit.set ? theme.agrees : theme.faint;
    const QPointF center(cell.left() + 8, cell.center().y() + 0.5);
    painter.setPen(QPen(color, 1.4));
    painter.setBrush(bit.set ? QBrush(color) : QBrush(Qt::NoBrush));
    painter.drawEllipse(center, 6, 6);
    if (wrong) {
      painter.setPen(theme.panel);
      painter.setFont(textFont(11, QFont::Bold));
      painter.drawText(QRectF(center.x() - 6, center.y() - 6, 12, 12), Qt::AlignCenter, "!");
    }
    QFont font = textFont(12, bit.set ? QFont::DemiBold : QFont::Normal);
    font.setUnderline(changed(bit));
    painter.setFont(font);
    painter.setPen(!isEnabled() ? theme.faint : wrong ? theme.differs : bit.set ? theme.ink : theme.muted);
    const QRect text = cell.adjusted(22, 0, -6, 0);
    painter.drawText(text, Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(QString::fromStdString(bit.name), Qt::ElideRight, text.width()));
  }
}

}  // namespace imprimo::app
