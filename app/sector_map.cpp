// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/sector_map.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <array>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kLabelWidth = 78;
constexpr int kMargin = 12;

/// One dot in a square of five pixels: calm also where there are thousands of tiles.
QBrush dots(const Theme& theme) {
  QPixmap square(5, 5);
  square.fill(Qt::transparent);
  QPainter(&square).fillRect(2, 2, 1, 1, theme.dots);
  return QBrush(square);
}

}  // namespace

SectorMap::SectorMap(const BlockLooks& looks, MemoryCursor& cursor, QWidget* parent)
    : QWidget(parent), looks_(looks), cursor_(cursor) {
  setObjectName("sectorMap");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Sector map"));
  connect(&cursor_, &MemoryCursor::moved, this, [this] {
    setAccessibleDescription(looks_.empty() ? QString() : textOf(currentTile()));
    update();
  });
}

SectorGrid SectorMap::grid() const {
  return SectorGrid::fit(rect().adjusted(kMargin + kLabelWidth, kMargin, -kMargin, -kMargin), looks_.looks().size());
}

BlockLook SectorMap::lookOf(int tile) const {
  const SectorGrid g = grid();
  const auto& looks = looks_.looks();
  return *std::max_element(looks.begin() + static_cast<std::ptrdiff_t>(g.firstBlock(tile)),
                           looks.begin() + static_cast<std::ptrdiff_t>(g.endBlock(tile)));
}

void SectorMap::drawTile(QPainter& painter, const QRect& r, BlockLook look, const Theme& theme, const QBrush& unread) {
  const QRect upper(r.left(), r.top(), r.width(), r.height() / 2);
  const QRect lower(r.left(), upper.bottom() + 1, r.width(), r.height() - upper.height());
  switch (look) {
    case BlockLook::Unread:
      painter.fillRect(r, unread);
      return;
    case BlockLook::Blank:
      painter.fillRect(r, theme.blankTile);
      return;
    case BlockLook::Data:
      painter.fillRect(r, theme.blankTile);
      painter.fillRect(r.adjusted(0, r.height() / 3, 0, -(r.height() / 3)), theme.dataTile);
      return;
    case BlockLook::Kept:
      painter.fillRect(r, theme.keptTile);
      painter.fillRect(r.adjusted(2, 2, -2, -2), theme.blankTile);
      painter.fillRect(r.adjusted(3, 3, -3, -3), theme.keptTile);
      return;
    case BlockLook::Agrees:
      painter.fillRect(r, theme.agreesTile);
      return;
    case BlockLook::PlannedUnread:
      painter.fillRect(upper, theme.planned);
      painter.fillRect(lower, unread);
      return;
    case BlockLook::WillErase:
      painter.fillRect(upper, theme.erasingTint);
      painter.fillRect(upper, QBrush(theme.erasing, Qt::BDiagPattern));
      painter.fillRect(lower, theme.dataTile);
      return;
    case BlockLook::Differs:
      painter.fillRect(upper, theme.planned);
      painter.fillRect(lower, theme.differsTint);
      return;
  }
}

void SectorMap::draw(QPainter& painter, const QRect& exposed, const Theme& theme) const {
  painter.setPen(theme.line);
  painter.setBrush(theme.panel);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), measure::kRadius, measure::kRadius);
  painter.setRenderHint(QPainter::Antialiasing, false);
  if (looks_.empty()) {
    painter.setPen(theme.muted);
    painter.setFont(textFont());
    painter.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap,
                     tr("The map appears as soon as the memory is known: when it answers, or from its part card."));
    return;
  }
  const SectorGrid g = grid();
  const QBrush unread = dots(theme);
  painter.setFont(byteFont(11));
  for (int row = 0; row < g.rows; ++row) {
    const int first = row * g.columns;
    const QRect firstRect = g.rectOf(first);
    const QRect band(rect().left(), firstRect.top(), rect().width(), g.rowHeight);
    if (!band.intersects(exposed)) continue;
    painter.setPen(theme.muted);
    const QString label = QString::fromStdString(hexAddress(looks_.block(g.firstBlock(first)).begin)).mid(2);
    painter.drawText(QRect(kMargin, firstRect.top(), kLabelWidth - 12, firstRect.height()),
                     Qt::AlignRight | Qt::AlignVCenter, label);
    for (int tile = first; tile < std::min(first + g.columns, g.tiles); ++tile) {
      const auto begin = looks_.looks().begin();
      const BlockLook look = *std::max_element(begin + static_cast<std::ptrdiff_t>(g.firstBlock(tile)),
                                               begin + static_cast<std::ptrdiff_t>(g.endBlock(tile)));
      drawTile(painter, g.rectOf(tile), look, theme, unread);
    }
  }
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(theme.ink, 2));
  painter.drawRect(g.rectOf(currentTile()).adjusted(-1, -1, 2, 2));
  if (hasFocus()) {
    painter.setPen(QPen(theme.planned, 2));
    painter.drawRoundedRect(rect().adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  }
}

void SectorMap::paintEvent(QPaintEvent* event) {
  QPainter painter(this);
  draw(painter, event->rect(), Theme::current());
}

int SectorMap::currentTile() const {
  return looks_.empty() ? 0 : grid().tileOf(looks_.geometry().blockIndex(cursor_.position()));
}

void SectorMap::moveToTile(int tile) {
  const SectorGrid g = grid();
  cursor_.moveTo(looks_.block(g.firstBlock(std::clamp(tile, 0, g.tiles - 1))).begin);
}

void SectorMap::mousePressEvent(QMouseEvent* event) {
  if (looks_.empty() || event->button() != Qt::LeftButton) return;
  if (const auto tile = grid().at(event->pos())) moveToTile(*tile);
}

void SectorMap::keyPressEvent(QKeyEvent* event) {
  if (looks_.empty()) return QWidget::keyPressEvent(event);
  const SectorGrid g = grid();
  const int tile = currentTile();
  switch (event->key()) {
    case Qt::Key_Left:
      return moveToTile(tile - 1);
    case Qt::Key_Right:
      return moveToTile(tile + 1);
    case Qt::Key_Up:
      return tile >= g.columns ? moveToTile(tile - g.columns) : void();
    case Qt::Key_Down:
      return tile + g.columns < g.tiles ? moveToTile(tile + g.columns) : void();
    case Qt::Key_Home:
      return moveToTile(0);
    case Qt::Key_End:
      return moveToTile(g.tiles - 1);
    default:
      QWidget::keyPressEvent(event);
  }
}

QString SectorMap::textOf(int tile) const {
  const SectorGrid g = grid();
  std::array<int, 8> counts{};
  for (std::size_t i = g.firstBlock(tile); i < g.endBlock(tile); ++i)
    ++counts[static_cast<std::size_t>(looks_.looks()[i])];
  const AddressRange range{looks_.block(g.firstBlock(tile)).begin, looks_.block(g.endBlock(tile) - 1).end};
  QString text = QString::fromStdString(rangeText(range)) + " · " + QString::fromStdString(sizeText(range.size()));
  for (std::size_t look = counts.size(); look-- > 0;) {
    if (counts[look] == 0) continue;
    text += g.blocksPerTile == 1
                ? QString("\n%1").arg(describe(static_cast<BlockLook>(look)))
                : QString("\n%1: %2")
                      .arg(QString::fromStdString(countText(static_cast<std::uint64_t>(counts[look]), "block")),
                           describe(static_cast<BlockLook>(look)));
  }
  return text;
}

bool SectorMap::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip && !looks_.empty()) {
    auto* help = static_cast<QHelpEvent*>(event);
    if (const auto tile = grid().at(help->pos())) {
      QToolTip::showText(help->globalPos(), textOf(*tile), this, grid().rectOf(*tile));
    } else {
      QToolTip::hideText();
    }
    return true;
  }
  return QWidget::event(event);
}

MapLegend::MapLegend(QWidget* parent) : QWidget(parent) {
  setFixedHeight(20);
  setAccessibleName(tr("What the tiles mean"));
}

void MapLegend::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& theme = Theme::current();
  painter.setFont(textFont(11));
  int x = 0;
  for (const BlockLook look : {BlockLook::Agrees, BlockLook::Differs, BlockLook::WillErase, BlockLook::PlannedUnread,
                               BlockLook::Kept, BlockLook::Data, BlockLook::Blank, BlockLook::Unread}) {
    SectorMap::drawTile(painter, QRect(x, 3, 12, 14), look, theme, dots(theme));
    const QString text = look == BlockLook::PlannedUnread ? tr("planned, unread")
                         : look == BlockLook::Unread      ? tr("unread")
                                                          : QString(describe(look));
    painter.setPen(theme.muted);
    const int width = painter.fontMetrics().horizontalAdvance(text);
    painter.drawText(QRect(x + 18, 0, width + 2, 20), Qt::AlignVCenter, text);
    x += 18 + width + 11;
  }
}

}  // namespace imprimo::app
