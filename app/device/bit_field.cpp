// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/device/bit_field.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>
#include <bit>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kMargin = 12;

QColor mixed(const QColor& a, const QColor& b, double share) {
  const auto mix = [&](int x, int y) { return static_cast<int>(x + (y - x) * share); };
  return {mix(a.red(), b.red()), mix(a.green(), b.green()), mix(a.blue(), b.blue())};
}

}  // namespace

BitField::BitField(QWidget* parent) : QWidget(parent) {
  setObjectName("bitField");
  setAccessibleName(tr("Bits that go in"));
  speaksFor(this);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
}

void BitField::setBits(std::shared_ptr<const BitVector> bits, std::uint64_t rowBits) {
  if (bits.get() == bits_.get() && rowBits == rowBits_) return;
  bits_ = std::move(bits);
  rowBits_ = rowBits;
  density_.clear();
  update();
}

void BitField::setWords(const QString& words) {
  words_ = words;
  update();
}

void BitField::setDone(std::uint64_t done, bool confirmed, bool broken) {
  done_ = done;
  confirmed_ = confirmed;
  broken_ = broken;
  update();
}

/// The picture in three sentences: what there is, how far it is, how it stands.
int BitField::spokenCount() const {
  return bits_ ? 3 : 1;
}

SpokenItem BitField::spokenItem(int index) const {
  SpokenItem item;
  item.role = QAccessible::StaticText;
  item.rect = rect();
  const auto text = [](std::uint64_t bits) { return QString::fromStdString(bitsText(bits)); };
  if (!bits_) {
    item.name = words_.isEmpty() ? tr("Nothing goes in.") : words_;
  } else if (index == 0) {
    item.name = tr("Goes in");
    item.value = text(bits_->size()) + (rowBits_ > 0 ? tr(", rows of %1").arg(text(rowBits_)) : QString());
  } else if (index == 1) {
    item.name = tr("Shifted");
    item.value = tr("%1 of %2").arg(text(done_), text(bits_->size()));
  } else {
    item.name = tr("Result");
    item.value = confirmed_ ? tr("confirmed") : broken_ ? tr("did not finish") : tr("not confirmed yet");
  }
  return item;
}

BitFieldGrid BitField::grid() const {
  return BitFieldGrid::fit(rect().adjusted(kMargin, kMargin, -kMargin, -kMargin), bits_ ? bits_->size() : 0, rowBits_);
}

const std::vector<std::uint8_t>& BitField::density() const {
  if (!density_.empty() && densityFor_ == size()) return density_;
  const BitFieldGrid g = grid();
  density_.assign(static_cast<std::size_t>(g.cells()), 0);
  densityFor_ = size();
  for (int i = 0; i < g.cells(); ++i) {
    const std::uint64_t bits = g.endBit(i) - g.firstBit(i);
    if (bits == 0) continue;
    std::uint64_t ones = 0;
    for (std::uint64_t at = g.firstBit(i); at < g.endBit(i); at += 64)
      ones += static_cast<std::uint64_t>(std::popcount(bits_->bits(at, std::min<std::uint64_t>(64, g.endBit(i) - at))));
    density_[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(255 * ones / bits);
  }
  return density_;
}

void BitField::draw(QPainter& painter, const Theme& theme) const {
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(theme.line);
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), measure::kRadius, measure::kRadius);
  painter.setRenderHint(QPainter::Antialiasing, false);
  const BitFieldGrid g = grid();
  if (g.cells() == 0) {
    painter.setPen(theme.muted);
    painter.setFont(textFont());
    painter.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap, words_);
    return;
  }
  const QColor full = confirmed_ ? theme.agrees : theme.planned;
  const QColor empty = confirmed_ ? theme.agreesTile : theme.plannedTint;
  const auto& shares = density();
  // One picture a cell each, stretched: a hundred thousand rectangles would be slow.
  QImage picture(g.columns, g.rows, QImage::Format_RGB32);
  picture.fill(theme.panel);
  QRgb shades[2][256];
  for (int s = 0; s < 256; ++s) {
    shades[0][s] = mixed(theme.blankTile, theme.faint, s / 255.0).rgb();
    shades[1][s] = mixed(empty, full, s / 255.0).rgb();
  }
  for (int i = 0; i < g.cells(); ++i) {
    const bool over = g.endBit(i) <= done_;
    picture.setPixel(i % g.columns, i / g.columns, shades[over ? 1 : 0][shares[static_cast<std::size_t>(i)]]);
  }
  const QRect whole(g.area.topLeft(), QSize(g.columns * g.cell, g.rows * g.cell));
  painter.drawImage(whole, picture);
  if (done_ == 0 || done_ >= g.bits) return;
  // Where it stands: a line between what went and what did not, also without colours.
  const int i = static_cast<int>(done_ / g.bitsPerCell);
  const QRect at = g.rectOf(std::min(i, g.cells() - 1));
  painter.setPen(QPen(broken_ ? theme.differs : theme.ink, 2));
  painter.drawLine(whole.left(), at.bottom() + 1, at.left(), at.bottom() + 1);
  painter.drawLine(at.left(), at.top(), at.left(), at.bottom() + 1);
  painter.drawLine(at.left(), at.top(), whole.right(), at.top());
}

void BitField::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  draw(painter, Theme::current());
}

bool BitField::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  auto* help = static_cast<QHelpEvent*>(event);
  const BitFieldGrid g = grid();
  const auto cell = g.at(help->pos());
  QString text;
  if (cell) {
    const auto ones = static_cast<int>(density()[static_cast<std::size_t>(*cell)]) * 100 / 255;
    text = g.bitsPerCell == 1 ? tr("bit %1: %2%3")
                                    .arg(g.firstBit(*cell))
                                    .arg(ones > 0 ? 1 : 0)
                                    .arg(rowBits_ > 0 ? tr(", row %1").arg(g.firstBit(*cell) / rowBits_) : QString())
                              : tr("bits %1 to %2 of %3, %4 % of them ones")
                                    .arg(g.firstBit(*cell))
                                    .arg(g.endBit(*cell) - 1)
                                    .arg(g.bits)
                                    .arg(ones);
  }
  QToolTip::showText(help->globalPos(), text, this);
  return true;
}

}  // namespace imprimo::app
