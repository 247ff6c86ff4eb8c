// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the rail says to readers.
#include "app/rail/chain_rail.h"

namespace imprimo::app {
namespace {

QString stateOf(const RailItem& item) {
  switch (item.state) {
    case RailItem::Agrees:
      return ChainRail::tr("answers");
    case RailItem::Differs:
      return ChainRail::tr("is not what the sheet has");
    case RailItem::Silent:
      return ChainRail::tr("silent");
    case RailItem::Unknown:
      break;
  }
  return ChainRail::tr("not asked");
}

}  // namespace

bool ChainRail::isShown(const RailItem& item) const {
  return item.kind == RailItem::Memory ? item.memory == bench_.memory() && !bench_.atDevice()
                                       : item.kind == RailItem::Device && item.position == bench_.device().position();
}

int ChainRail::spokenCount() const {
  return static_cast<int>(rail_.items.size());
}

SpokenItem ChainRail::spokenItem(int index) const {
  const RailItem& item = rail_.items[static_cast<std::size_t>(index)];
  SpokenItem spoken;
  switch (item.kind) {
    case RailItem::Device:
      spoken.name = tr("Device %1, %2").arg(item.position).arg(item.title);
      break;
    case RailItem::Core:
      spoken.name = tr("Core %1").arg(item.title);
      break;
    case RailItem::Memory:
      spoken.name = tr("Memory %1").arg(item.title);
      break;
    case RailItem::Add:
      spoken.name = item.title;
      break;
  }
  QStringList says;
  if (item.kind != RailItem::Add) says += stateOf(item);
  for (const QString& part : {item.right, item.detail, item.trouble, item.needs}) {
    if (!part.isEmpty()) says += part;
  }
  spoken.value = says.join(", ");
  spoken.rect = item.rect;
  spoken.role = item.kind == RailItem::Add ? QAccessible::Button : QAccessible::ListItem;
  spoken.isSelected = isShown(item);
  spoken.canBePressed = true;
  return spoken;
}

int ChainRail::spokenCurrent() const {
  return rail_.items.empty() ? -1 : static_cast<int>(current_);
}

void ChainRail::spokenPress(int index) {
  const RailItem item = rail_.items[static_cast<std::size_t>(index)];
  moveTo(static_cast<std::size_t>(index));
  if (item.kind == RailItem::Add && !bench_.run().isRunning()) bench_.ways().begin(item.position);
}

}  // namespace imprimo::app
