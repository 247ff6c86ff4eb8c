// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>

#include "app/images/address_ruler.h"
#include "app/look/text.h"

namespace imprimo::app {
namespace {

constexpr int kLabelHeight = 34;

}  // namespace

void AddressRuler::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  draw(painter, Theme::current());
}

void AddressRuler::draw(QPainter& painter, const Theme& theme) const {
  painter.setRenderHint(QPainter::Antialiasing);
  const RulerGeometry g = geometryNow();
  painter.setPen(QPen(hasFocus() ? theme.planned : theme.line, hasFocus() ? 2 : 1));
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  painter.setPen(Qt::NoPen);
  painter.setBrush(theme.blankTile);
  painter.drawRect(g.strip);
  drawAxis(painter, theme, g);
  drawFree(painter, theme, g);
  drawPieces(painter, theme, g);
  drawMarks(painter, theme, g);
  drawLabels(painter, theme, g);
}

void AddressRuler::drawAxis(QPainter& painter, const Theme& theme, const RulerGeometry& g) const {
  painter.setFont(byteFont(11));
  for (const std::uint64_t at : g.ticks(34)) {
    const int y = static_cast<int>(g.yOf(at));
    painter.setPen(theme.line);
    painter.drawLine(g.strip.left() - 5, y, g.strip.left(), y);
    painter.setPen(theme.muted);
    painter.drawText(QRect(4, y - 8, g.strip.left() - 14, 16), Qt::AlignRight | Qt::AlignVCenter, plainHex(at));
  }
  // Where the part ends.
  if (const std::uint64_t size = document_.state().size; size > 0 && g.shown.contains(size)) {
    painter.setPen(QPen(theme.differs, 2, Qt::DashLine));
    const int y = static_cast<int>(g.yOf(size));
    painter.drawLine(g.strip.left() - 8, y, g.strip.right() + 8, y);
  }
}

void AddressRuler::drawFree(QPainter& painter, const Theme& theme, const RulerGeometry& g) const {
  const std::uint64_t end = document_.state().size > 0 ? document_.state().size : document_.extent();
  std::vector<AddressRange> taken = document_.kept();
  for (const Piece& piece : document_.pieces()) taken.push_back(piece.image.extent());
  std::sort(taken.begin(), taken.end(), [](const auto& a, const auto& b) { return a.begin < b.begin; });
  taken.push_back({end, end + 1});
  painter.setFont(textFont(11));
  painter.setPen(theme.muted);
  std::uint64_t from = 0;
  for (const AddressRange& range : taken) {
    if (range.begin > from && from < end) {
      const QRect gap = g.rectOf({from, std::min(range.begin, end)}, 0);
      if (gap.height() > 30) {
        painter.drawText(gap, Qt::AlignCenter,
                         tr("%1 free").arg(QString::fromStdString(sizeText(std::min(range.begin, end) - from))));
      }
    }
    from = std::max(from, range.end);
  }
}

void AddressRuler::drawPieces(QPainter& painter, const Theme& theme, const RulerGeometry& g) const {
  for (const AddressRange& keep : document_.kept()) {
    const QRect r = g.rectOf(keep);
    if (r.isEmpty()) continue;
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.keptTile);
    painter.drawRect(r);
    painter.setBrush(QBrush(theme.panel, Qt::BDiagPattern));
    painter.drawRect(r);
  }
  for (std::size_t i = 0; i < document_.pieces().size(); ++i) {
    const auto file = document_.fileOf(i);
    painter.setPen(Qt::NoPen);
    painter.setBrush(file ? theme.pieceColor(*file) : theme.ink);
    int drawnTo = -1;
    for (const MemoryImage::Segment& s : document_.pieces()[i].image.segmentsIn(g.shown)) {
      const QRect r = g.rectOf(s.range());
      // Thousands of small segments on one line of pixels are painted once.
      if (r.isEmpty() || r.bottom() <= drawnTo) continue;
      drawnTo = r.bottom();
      painter.drawRect(r);
    }
    if (!file || document_.selected() != *file) continue;
    painter.setPen(QPen(theme.ink, 2));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(g.rectOf(document_.pieces()[i].image.extent()).adjusted(-1, -1, 1, 1));
  }
}

void AddressRuler::drawMarks(QPainter& painter, const Theme& theme, const RulerGeometry& g) const {
  // What cannot be: hatched, over what is there.
  for (const Finding& f : document_.findings()) {
    if (f.level != Finding::Blocks || !f.where) continue;
    const QRect r = g.rectOf(*f.where, 6);
    if (r.isEmpty()) continue;
    painter.setPen(QPen(theme.differs, 2));
    painter.setBrush(QBrush(theme.differs, Qt::DiagCrossPattern));
    painter.drawRect(r.adjusted(4, 0, -4, 0));
  }
  painter.setPen(Qt::NoPen);
  painter.setBrush(theme.differs);
  int drawnTo = -1;
  for (const AddressRange& range : document_.comparison().differences().ranges) {
    const QRect r = g.rectOf(range, 3);
    if (r.isEmpty() || r.bottom() <= drawnTo) continue;
    drawnTo = r.bottom();
    painter.drawRect(QRect(g.strip.right() - 14, r.top(), 14, r.height()));
    painter.drawPolygon(
        QPolygon({QPoint(g.strip.right() + 9, r.center().y() - 4), QPoint(g.strip.right() + 9, r.center().y() + 4),
                  QPoint(g.strip.right() + 2, r.center().y())}));
  }
  if (drag_ && drag_->moving) {
    painter.setPen(QPen(theme.ink, 2, Qt::DashLine));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(g.rectOf(drag_->ghost));
    painter.setFont(byteFont(11));
    const int y = static_cast<int>(g.yOf(drag_->ghost.begin));
    const QRect box(g.strip.left() + 8, y - 20, QFontMetrics(byteFont(11)).horizontalAdvance("0000000000"), 18);
    painter.fillRect(box, theme.panel);
    painter.drawText(box, Qt::AlignCenter, plainHex(drag_->ghost.begin));
  }
  if (g.shown.contains(document_.position())) {
    const int y = static_cast<int>(g.yOf(document_.position()));
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.ink);
    painter.drawPolygon(QPolygon(
        {QPoint(g.strip.left() - 9, y - 4), QPoint(g.strip.left() - 9, y + 4), QPoint(g.strip.left() - 2, y)}));
  }
}

void AddressRuler::drawLabels(QPainter& painter, const Theme& theme, const RulerGeometry& g) const {
  struct Label {
    double y;
    QString name, range;
    bool strong;
  };
  std::vector<Label> labels;
  for (std::size_t i = 0; i < document_.pieces().size(); ++i) {
    const Piece& piece = document_.pieces()[i];
    const AddressRange extent = piece.image.extent();
    if (!extent.overlaps(g.shown)) continue;
    const QRect r = g.rectOf(extent);
    const auto file = document_.fileOf(i);
    labels.push_back({r.top() + std::min(r.height(), kLabelHeight) / 2.0, QString::fromStdString(piece.name()),
                      plainHex(extent), file && document_.selected() == *file});
  }
  for (const AddressRange& keep : document_.kept()) {
    if (keep.overlaps(g.shown))
      labels.push_back({static_cast<double>(g.rectOf(keep).center().y()), tr("kept"), plainHex(keep), false});
  }
  std::sort(labels.begin(), labels.end(), [](const Label& a, const Label& b) { return a.y < b.y; });
  std::vector<double> wanted;
  std::optional<std::size_t> first;
  for (const Label& label : labels) {
    if (label.strong) first = wanted.size();
    wanted.push_back(label.y);
  }
  const auto tops = spreadLabels(wanted, kLabelHeight, 4, height() - 4, first);
  const int left = g.labelLeft();
  std::size_t hidden = 0;
  for (std::size_t i = 0; i < labels.size(); ++i) {
    if (!tops[i]) {
      ++hidden;
      continue;
    }
    const int middle = *tops[i] + kLabelHeight / 2;
    painter.setPen(theme.faint);
    painter.drawLine(QPointF(g.strip.right() + 2, labels[i].y), QPointF(left - 4, middle));
    const QRect name(left, *tops[i] + 1, width() - left - 8, 16);
    painter.setFont(textFont(12, labels[i].strong ? QFont::Bold : QFont::DemiBold));
    painter.setPen(theme.ink);
    painter.drawText(name, Qt::AlignVCenter,
                     QFontMetrics(painter.font()).elidedText(labels[i].name, Qt::ElideMiddle, name.width()));
    painter.setFont(byteFont(10));
    painter.setPen(theme.muted);
    painter.drawText(name.translated(0, 15), Qt::AlignVCenter, labels[i].range);
  }
  if (hidden > 0) {
    painter.setFont(textFont(11));
    painter.setPen(theme.muted);
    painter.drawText(QRect(left, height() - 18, width() - left - 8, 16), Qt::AlignRight, tr("+%1 more").arg(hidden));
  }
}

}  // namespace imprimo::app
