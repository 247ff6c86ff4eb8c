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
constexpr int kPageRows = 8;

QString noMemoryYet() {
  return SectorMap::tr("The map appears as soon as the memory is known: when it answers, or from its part card.");
}

}  // namespace

QBrush SectorMap::dots(const Theme& theme) {
  QPixmap square(5, 5);
  square.fill(Qt::transparent);
  QPainter(&square).fillRect(2, 2, 1, 1, theme.dots);
  return QBrush(square);
}

SectorMap::SectorMap(const BlockLooks& looks, MemoryCursor& cursor, QWidget* parent)
    : QWidget(parent), looks_(looks), cursor_(cursor) {
  setObjectName("sectorMap");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Sector map"));
  speaksFor(this);
  connect(&cursor_, &MemoryCursor::moved, this, [this] {
    currentChanged();
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
    painter.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap, noMemoryYet());
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
  if (on == choosing_) return;
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

void SectorMap::unmark() {
  markFrom_.reset();
  update();
}

void SectorMap::choose() {
  const AddressRange range = marked();
  unmark();
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
    case Qt::Key_PageUp:
      return moveToTile(std::max(tile % g.columns, tile - kPageRows * g.columns), mark);
    case Qt::Key_PageDown: {
      const int below = (g.tiles - 1 - tile) / g.columns;  // rows
      return moveToTile(tile + std::min(kPageRows, below) * g.columns, mark);
    }
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

int SectorMap::spokenCount() const {
  return looks_.empty() ? 1 : grid().tiles;
}

SpokenItem SectorMap::spokenItem(int index) const {
  SpokenItem item;
  if (looks_.empty()) {
    item.name = noMemoryYet();
    item.role = QAccessible::StaticText;
    item.rect = rect();
    return item;
  }
  const QStringList lines = textOf(index).split('\n');
  item.name = lines.front();
  item.value = lines.mid(1).join(", ");
  item.rect = grid().rectOf(index);
  item.isSelected = index == currentTile();
  item.canBePressed = true;
  return item;
}

int SectorMap::spokenCurrent() const {
  return looks_.empty() ? -1 : currentTile();
}

void SectorMap::spokenPress(int index) {
  if (!looks_.empty()) moveToTile(index);
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

}  // namespace imprimo::app
