// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/sector_map.h"

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
    case BlockLook::SharedErase:
      painter.fillRect(upper, theme.erasingTint);
      painter.fillRect(upper.adjusted(0, 0, -r.width() / 2, 0), QBrush(theme.erasing, Qt::BDiagPattern));
      painter.fillRect(upper.adjusted(r.width() / 2, 0, 0, 0), theme.planned);
      painter.fillRect(lower, theme.dataTile);
      return;
    case BlockLook::Differs:
      painter.fillRect(upper, theme.planned);
      painter.fillRect(lower, theme.differsTint);
      return;
  }
}

void SectorMap::drawProtected(QPainter& painter, const QRect& r, const Theme& theme) {
  // A bar along the foot: whatever else a tile says, it stays readable.
  painter.fillRect(QRect(r.left(), r.bottom() - 2, r.width(), 3), theme.ink);
}

void SectorMap::drawFromBefore(QPainter& painter, const QRect& r, const Theme& theme) {
  QColor veil = theme.panel;
  veil.setAlpha(140);
  painter.fillRect(r, veil);
  // Not by paleness alone: the tile has a dotted edge.
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(theme.muted, 1, Qt::DotLine));
  painter.drawRect(r.adjusted(0, 0, -1, -1));
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
  const bool hints = looks_.anyFromBefore();
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
      bool locked = false, before = false;
      for (std::size_t i = g.firstBlock(tile); i < g.endBlock(tile) && !locked; ++i) locked = looks_.isProtected(i);
      for (std::size_t i = g.firstBlock(tile); hints && i < g.endBlock(tile) && !before; ++i)
        before = looks_.isFromBefore(i);
      if (before) drawFromBefore(painter, g.rectOf(tile), theme);
      if (locked) drawProtected(painter, g.rectOf(tile), theme);
    }
  }
  if (const AddressRange mark = marked(); !mark.empty()) {
    painter.setPen(QPen(theme.erasing, 2));
    painter.setBrush(Qt::NoBrush);
    for (int tile = g.tileOf(looks_.geometry().blockIndex(mark.begin));
         tile <= g.tileOf(looks_.geometry().blockIndex(mark.end - 1)); ++tile)
      painter.drawRect(g.rectOf(tile).adjusted(0, 0, 0, 0));
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

void SectorMap::moveToTile(int tile, bool mark) {
  const SectorGrid g = grid();
  const std::size_t from = looks_.geometry().blockIndex(cursor_.position());
  if (!mark) {
    markFrom_.reset();
  } else if (!markFrom_) {
    markFrom_ = from;
  }
  cursor_.moveTo(looks_.block(g.firstBlock(std::clamp(tile, 0, g.tiles - 1))).begin);
  update();
}

void SectorMap::setChoosing(bool on) {
  choosing_ = on;
  markFrom_.reset();
  update();
}

AddressRange SectorMap::marked() const {
  if (!markFrom_ || looks_.empty()) return {};
  const SectorGrid g = grid();
  const int a = g.tileOf(*markFrom_), b = currentTile();
  return {looks_.block(g.firstBlock(std::min(a, b))).begin, looks_.block(g.endBlock(std::max(a, b)) - 1).end};
}

void SectorMap::choose() {
  const AddressRange range = marked();
  markFrom_.reset();
  update();
  if (!range.empty()) emit chosen(range);
}

void SectorMap::mousePressEvent(QMouseEvent* event) {
  if (looks_.empty() || event->button() != Qt::LeftButton) return;
  if (const auto tile = grid().at(event->pos())) {
    moveToTile(*tile);
    if (choosing_ || event->modifiers().testFlag(Qt::ShiftModifier))
      markFrom_ = looks_.geometry().blockIndex(cursor_.position());
  }
}

void SectorMap::mouseMoveEvent(QMouseEvent* event) {
  if (!markFrom_ || (event->buttons() & Qt::LeftButton) == 0) return;
  if (const auto tile = grid().at(event->pos())) moveToTile(*tile, true);
}

void SectorMap::mouseReleaseEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton && markFrom_) choose();
}

void SectorMap::keyPressEvent(QKeyEvent* event) {
  if (looks_.empty()) return QWidget::keyPressEvent(event);
  const SectorGrid g = grid();
  const int tile = currentTile();
  const bool mark = (event->modifiers() & Qt::ShiftModifier) != 0;
  switch (event->key()) {
    case Qt::Key_Left:
      return moveToTile(tile - 1, mark);
    case Qt::Key_Right:
      return moveToTile(tile + 1, mark);
    case Qt::Key_Up:
      return tile >= g.columns ? moveToTile(tile - g.columns, mark) : void();
    case Qt::Key_Down:
      return tile + g.columns < g.tiles ? moveToTile(tile + g.columns, mark) : void();
    case Qt::Key_Home:
      return moveToTile(0, mark);
    case Qt::Key_End:
      return moveToTile(g.tiles - 1, mark);
    case Qt::Key_Return:
    case Qt::Key_Enter:
    case Qt::Key_Space:
      if ((!choosing_ && !markFrom_) || event->modifiers().testFlag(Qt::ControlModifier))
        return QWidget::keyPressEvent(event);
      if (!markFrom_) markFrom_ = looks_.geometry().blockIndex(cursor_.position());
      return choose();
    case Qt::Key_Escape:
      if (!markFrom_) return QWidget::keyPressEvent(event);
      markFrom_.reset();
      return update();
    default:
      QWidget::keyPressEvent(event);
  }
}

QString SectorMap::textOf(int tile) const {
  const SectorGrid g = grid();
  std::array<int, 9> counts{};
  bool locked = false, before = false;
  for (std::size_t i = g.firstBlock(tile); i < g.endBlock(tile); ++i) {
    ++counts[static_cast<std::size_t>(looks_.looks()[i])];
    locked = locked || looks_.isProtected(i);
    before = before || looks_.isFromBefore(i);
  }
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
  if (before) text += tr("\nas read before; not read since");
  if (locked) text += tr("\nprotected by the part");
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

void MapLegend::explain(bool erasing, bool isProtected, bool fromBefore) {
  erasing_ = erasing;
  protected_ = isProtected;
  fromBefore_ = fromBefore;
  update();
}

void MapLegend::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& theme = Theme::current();
  painter.setFont(textFont(11));
  int x = 0;
  std::vector<BlockLook> shown{BlockLook::Agrees, BlockLook::Differs, BlockLook::WillErase, BlockLook::PlannedUnread,
                               BlockLook::Kept,   BlockLook::Data,    BlockLook::Blank,     BlockLook::Unread};
  if (erasing_)
    shown = {BlockLook::Agrees, BlockLook::WillErase, BlockLook::SharedErase, BlockLook::Kept,
             BlockLook::Data,   BlockLook::Blank,     BlockLook::Unread};
  for (const BlockLook look : shown) {
    SectorMap::drawTile(painter, QRect(x, 3, 12, 14), look, theme, dots(theme));
    const QString text = look == BlockLook::PlannedUnread ? tr("planned, unread")
                         : look == BlockLook::Unread      ? tr("unread")
                         : look == BlockLook::Differs     ? tr("to write")
                         : look == BlockLook::WillErase   ? tr("to erase")
                         : look == BlockLook::SharedErase ? tr("erased, the rest put back")
                                                          : QString(describe(look));
    painter.setPen(theme.muted);
    const int width = painter.fontMetrics().horizontalAdvance(text);
    painter.drawText(QRect(x + 18, 0, width + 2, 20), Qt::AlignVCenter, text);
    x += 18 + width + 11;
  }
  const auto mark = [&](const QString& text, void (*draw)(QPainter&, const QRect&, const Theme&)) {
    draw(painter, QRect(x, 3, 12, 14), theme);
    painter.setPen(theme.muted);
    const int width = painter.fontMetrics().horizontalAdvance(text);
    painter.drawText(QRect(x + 18, 0, width + 2, 20), Qt::AlignVCenter, text);
    x += 18 + width + 11;
  };
  if (fromBefore_) mark(tr("from before"), &SectorMap::drawFromBefore);
  if (protected_) mark(tr("protected"), &SectorMap::drawProtected);
}

}  // namespace imprimo::app
