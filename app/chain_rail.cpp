// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/chain_rail.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kLineX = 12;
constexpr int kPartLeft = 30, kMemoryLeft = 42;
constexpr int kPartHeight = 46, kMemoryHeight = 54, kTroubleHeight = 16;
constexpr int kFirstTop = 26;

}  // namespace

ChainRail::ChainRail(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("chainRail");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Scan chain"));
  for (const auto signal :
       {&Workbench::sheetChanged, &Workbench::linkChanged, &Workbench::memoryChanged, &Workbench::looksChanged}) {
    connect(&bench_, signal, this, &ChainRail::rebuild);
  }
  rebuild();
}

RailItem ChainRail::partItem(std::size_t i) const {
  const sheet::Sheet& sheet = bench_.document().sheet();
  const auto& report = bench_.report();
  RailItem item;
  item.position = i + 1;
  if (i < sheet.chain.size()) {
    const sheet::Part& part = sheet.chain[i];
    item.title = QString::fromStdString(part.name);
    item.right = QString("IR %1").arg(part.irLength);
    item.detail =
        part.idcodes.empty() ? tr("any IDCODE") : QString::fromStdString(jtag::patternText(part.idcodes.front()));
  } else {
    item.title = tr("not in the sheet");
  }
  if (!report || report->rows.empty()) return item;
  item.agrees = i < report->rows.size() && report->rows[i].agrees;
  if (i < report->chain.parts.size()) {
    const auto& found = report->chain.parts[i];
    const QString id = found.idcode ? QString::fromStdString(hexIdcode(*found.idcode)) : tr("no IDCODE");
    if (item.agrees) {
      item.detail = found.idcode ? QString("%1  v%2").arg(id).arg(*found.idcode >> 28) : id;
    } else {
      item.trouble = tr("found %1").arg(id);
    }
  } else {
    item.trouble = tr("found nothing here");
  }
  return item;
}

RailItem ChainRail::memoryItem(const sheet::MemoryEntry& entry) const {
  RailItem item;
  item.kind = RailItem::Memory;
  item.memory = entry.name;
  item.title = QString::fromStdString(entry.name);
  item.detail =
      std::holds_alternative<sheet::BridgeRoute>(entry.route) ? tr("via bridge in the fabric") : tr("via pins");
  const auto& report = bench_.report();
  if (report) {
    if (const auto found = report->memories.find(entry.name); found != report->memories.end()) {
      item.right = QString::fromStdString(sizeText(found->second.geometry.size));
    }
    if (const auto wrong = report->memoryErrors.find(entry.name); wrong != report->memoryErrors.end()) {
      item.agrees = false;
      item.trouble = tr("does not answer");
    }
  }
  if (entry.name == bench_.memory() && !bench_.looks().empty()) {
    const auto& looks = bench_.looks().looks();
    const auto count = [&](BlockLook look) {
      return static_cast<double>(std::count(looks.begin(), looks.end(), look));
    };
    const double planned = count(BlockLook::Agrees) + count(BlockLook::PlannedUnread) + count(BlockLook::Differs) +
                           count(BlockLook::WillErase);
    if (item.right.isEmpty()) item.right = QString::fromStdString(sizeText(bench_.looks().geometry().size));
    if (planned > 0) {
      item.agreeing = count(BlockLook::Agrees) / planned;
      item.differing = (count(BlockLook::Differs) + count(BlockLook::WillErase)) / planned;
    }
  }
  return item;
}

void ChainRail::rebuild() {
  items_.clear();
  const sheet::Sheet& sheet = bench_.document().sheet();
  const auto& report = bench_.report();
  const std::size_t parts = std::max(sheet.chain.size(), report ? report->chain.parts.size() : 0);
  int top = kFirstTop;
  const auto place = [&](RailItem item, int left, int itemHeight, int gap) {
    itemHeight += item.trouble.isEmpty() ? 0 : kTroubleHeight;
    item.rect = QRect(left, top, measure::kRailWidth - left - 2, itemHeight);
    top += itemHeight + gap;
    items_.push_back(std::move(item));
  };
  for (std::size_t i = 0; i < parts; ++i) {
    std::vector<const sheet::MemoryEntry*> hanging;
    for (const sheet::MemoryEntry& entry : sheet.memories) {
      const auto position = std::visit([](const auto& route) { return route.position; }, entry.route);
      if (position == i + 1) hanging.push_back(&entry);
    }
    place(partItem(i), kPartLeft, kPartHeight, hanging.empty() ? 14 : 5);
    for (const auto* entry : hanging)
      place(memoryItem(*entry), kMemoryLeft, kMemoryHeight, entry == hanging.back() ? 14 : 5);
  }
  bottom_ = top + 2;
  if (height_ != bottom_ + 20) {
    height_ = bottom_ + 20;
    updateGeometry();
  }
  update();
}

void ChainRail::drawItem(QPainter& painter, const RailItem& item, const Theme& theme) const {
  const bool selected = item.kind == RailItem::Memory && item.memory == bench_.memory();
  const bool known = bench_.report().has_value();
  painter.setPen(QPen(!item.agrees ? theme.differs
                      : selected   ? theme.planned
                                   : theme.line,
                      selected || !item.agrees ? 1.6 : 1, known ? Qt::SolidLine : Qt::DashLine));
  painter.setBrush(selected ? theme.plannedTint : theme.panel);
  painter.drawRoundedRect(QRectF(item.rect).adjusted(0.5, 0.5, -0.5, -0.5), measure::kRadius, measure::kRadius);
  if (selected && hasFocus()) {
    painter.setPen(QPen(theme.planned, 3));
    painter.drawRoundedRect(QRectF(item.rect).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  }
  const QRect inner = item.rect.adjusted(9, 5, -9, -5);
  painter.setFont(textFont(13, QFont::DemiBold));
  painter.setPen(theme.ink);
  painter.drawText(inner, Qt::AlignTop | Qt::AlignLeft,
                   painter.fontMetrics().elidedText(item.title, Qt::ElideRight, inner.width() - 56));
  painter.setFont(textFont(11));
  painter.setPen(theme.muted);
  painter.drawText(inner.adjusted(0, 2, 0, 0), Qt::AlignTop | Qt::AlignRight, item.right);
  if (item.kind == RailItem::Part) painter.setFont(byteFont(11));
  painter.drawText(inner.adjusted(0, 19, 0, 0), Qt::AlignTop | Qt::AlignLeft, item.detail);
  if (!item.trouble.isEmpty()) {
    painter.setFont(textFont(11, QFont::DemiBold));
    painter.setPen(theme.differs);
    painter.drawText(inner, Qt::AlignBottom | Qt::AlignLeft, item.trouble);
  } else if (item.kind == RailItem::Memory) {
    const QRectF bar(inner.left(), inner.bottom() - 4, inner.width(), 4);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.blankTile);
    painter.drawRoundedRect(bar, 2, 2);
    painter.setBrush(theme.agreesTile);
    painter.drawRect(QRectF(bar.left(), bar.top(), bar.width() * item.agreeing, bar.height()));
    painter.setBrush(theme.planned);
    painter.drawRect(
        QRectF(bar.left() + bar.width() * item.agreeing, bar.top(), bar.width() * item.differing, bar.height()));
  }
}

void ChainRail::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& theme = Theme::current();
  if (items_.empty()) return;
  painter.setPen(QPen(theme.faint, 1.6));
  painter.drawLine(kLineX, 8, kLineX, bottom_);
  painter.setFont(textFont(11));
  painter.setPen(theme.muted);
  painter.drawText(QRect(kPartLeft, 4, 120, 16), Qt::AlignVCenter, tr("TDI in"));
  painter.drawText(QRect(kPartLeft, bottom_ - 8, 120, 16), Qt::AlignVCenter, tr("TDO out"));
  for (const RailItem& item : items_) {
    if (item.kind == RailItem::Part) {
      painter.setPen(QPen(item.agrees ? theme.planned : theme.differs, 1.8));
      painter.setBrush(theme.paper);
      const QPointF center(kLineX, item.rect.top() + 18);
      painter.drawEllipse(center, 8, 8);
      painter.setFont(textFont(10, QFont::DemiBold));
      painter.drawText(QRectF(center.x() - 8, center.y() - 8, 16, 16), Qt::AlignCenter,
                       item.agrees ? QString::number(item.position) : QStringLiteral("!"));
    } else {
      painter.setPen(QPen(theme.faint, 1.2));
      painter.drawLine(kPartLeft + 4, item.rect.top() - 5, kPartLeft + 4, item.rect.top() + 18);
      painter.drawLine(kPartLeft + 4, item.rect.top() + 18, item.rect.left(), item.rect.top() + 18);
    }
    drawItem(painter, item, theme);
  }
}

const RailItem* ChainRail::itemAt(QPoint point) const {
  const auto it = std::find_if(items_.begin(), items_.end(), [&](const RailItem& i) { return i.rect.contains(point); });
  return it == items_.end() ? nullptr : &*it;
}

void ChainRail::mousePressEvent(QMouseEvent* event) {
  const RailItem* item = itemAt(event->pos());
  if (item != nullptr && item->kind == RailItem::Memory) bench_.selectMemory(std::string(item->memory));
}

void ChainRail::keyPressEvent(QKeyEvent* event) {
  const auto& memories = bench_.document().sheet().memories;
  const auto here =
      std::find_if(memories.begin(), memories.end(), [&](const auto& m) { return m.name == bench_.memory(); });
  if (event->key() == Qt::Key_Down && here != memories.end() && here + 1 != memories.end())
    return bench_.selectMemory((here + 1)->name);
  if (event->key() == Qt::Key_Up && here != memories.begin() && here != memories.end())
    return bench_.selectMemory((here - 1)->name);
  QWidget::keyPressEvent(event);
}

bool ChainRail::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(event);
    const RailItem* item = itemAt(help->pos());
    const auto& report = bench_.report();
    QString text;
    if (item != nullptr && report && item->kind == RailItem::Part && item->position <= report->rows.size()) {
      const auto& row = report->rows[item->position - 1];
      text = tr("expected: %1\nfound: %2").arg(QString::fromStdString(row.expected), QString::fromStdString(row.found));
    } else if (item != nullptr && report && report->memoryErrors.contains(item->memory)) {
      text = report->memoryErrors.at(item->memory);
    }
    QToolTip::showText(help->globalPos(), text, this);
    return true;
  }
  return QWidget::event(event);
}

}  // namespace imprimo::app
