// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>

#include "app/bench/sector_map.h"

namespace imprimo::app {
namespace {

constexpr int kSign = 12, kTextAt = 18, kApart = 11;

QString textOf(BlockLook look) {
  switch (look) {
    case BlockLook::PlannedUnread:
      return MapLegend::tr("planned, unread");
    case BlockLook::Unread:
      return MapLegend::tr("unread");
    case BlockLook::Differs:
      return MapLegend::tr("to write");
    case BlockLook::WillErase:
      return MapLegend::tr("to erase");
    case BlockLook::SharedErase:
      return MapLegend::tr("erased, the rest put back");
    default:
      return describe(look);
  }
}

}  // namespace

MapLegend::MapLegend(QWidget* parent) : QWidget(parent) {
  setAccessibleName(tr("What the tiles mean"));
  setFixedHeight(20);
  speaksFor(this);
}

void MapLegend::explain(bool erasing, bool isProtected, bool fromBefore) {
  erasing_ = erasing;
  protected_ = isProtected;
  fromBefore_ = fromBefore;
  update();
}

std::vector<MapLegend::Entry> MapLegend::entries() const {
  std::vector<BlockLook> looks{BlockLook::Agrees, BlockLook::Differs, BlockLook::WillErase, BlockLook::PlannedUnread,
                               BlockLook::Kept,   BlockLook::Data,    BlockLook::Blank,     BlockLook::Unread};
  if (erasing_)
    looks = {BlockLook::Agrees, BlockLook::WillErase, BlockLook::SharedErase, BlockLook::Kept,
             BlockLook::Data,   BlockLook::Blank,     BlockLook::Unread};
  std::vector<Entry> entries;
  for (const BlockLook look : looks) entries.push_back({textOf(look), {}, look, nullptr});
  if (fromBefore_) entries.push_back({tr("from before"), {}, {}, &SectorMap::drawFromBefore});
  if (protected_) entries.push_back({tr("protected"), {}, {}, &SectorMap::drawProtected});
  const QFontMetrics metrics(textFont(11));
  int x = 0;
  for (Entry& entry : entries) {
    const int width = metrics.horizontalAdvance(entry.text) + 2;
    entry.rect = QRect(x, 0, kTextAt + width, height());
    x += kTextAt + width + kApart - 2;
  }
  return entries;
}

SpokenItem MapLegend::spokenItem(int index) const {
  const Entry entry = entries()[static_cast<std::size_t>(index)];
  SpokenItem item;
  item.name = entry.text;
  item.rect = entry.rect;
  item.role = QAccessible::StaticText;
  return item;
}

void MapLegend::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& theme = Theme::current();
  const QBrush unread = SectorMap::dots(theme);
  painter.setFont(textFont(11));
  for (const Entry& entry : entries()) {
    const QRect sign(entry.rect.left(), 3, kSign, 14);
    entry.look ? SectorMap::drawTile(painter, sign, *entry.look, theme, unread) : entry.mark(painter, sign, theme);
    painter.setPen(theme.muted);
    painter.drawText(entry.rect.adjusted(kTextAt, 0, 0, 0), Qt::AlignVCenter, entry.text);
  }
}

}  // namespace imprimo::app
