// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/unit_marks.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>

#include "app/look/theme.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kMarkStep = 10, kMarkWidth = 6, kLow = 12, kTall = 22;

}  // namespace

UnitMarks::UnitMarks(QWidget* parent) : QWidget(parent) {
  setObjectName("unitMarks");
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setAccessibleName(tr("What was done today"));
  speaksFor(this);
}

void UnitMarks::setEntries(const std::vector<line::DayBook::Entry>& entries) {
  entries_ = entries;
  const auto failed = std::count_if(entries_.begin(), entries_.end(), [](const auto& each) { return !each.good; });
  setAccessibleDescription(tr("%1 boards, %2 of them failed").arg(entries_.size()).arg(failed));
  update();
}

std::size_t UnitMarks::firstInSight() const {
  const auto fitting = static_cast<std::size_t>(std::max(1, width() / kMarkStep));
  return entries_.size() > fitting ? entries_.size() - fitting : 0;
}

QString UnitMarks::words(const line::DayBook::Entry& entry) {
  QString words = QString::fromStdString(entry.at).mid(11, 8) + " UTC";
  if (entry.unit != 0) words += tr(", unit %1").arg(entry.unit);
  return words + (entry.good ? tr(", done") : tr(", failed"));
}

int UnitMarks::spokenCount() const {
  return static_cast<int>(std::max<std::size_t>(1, entries_.size() - firstInSight()));
}

SpokenItem UnitMarks::spokenItem(int index) const {
  SpokenItem item;
  if (entries_.empty()) {
    item.name = tr("No board yet.");
    item.rect = rect();
    item.role = QAccessible::StaticText;
    return item;
  }
  const std::size_t at = firstInSight() + static_cast<std::size_t>(index);
  item.name = tr("Board %1").arg(at + 1);
  item.value = words(entries_[at]);
  item.rect = QRect(index * kMarkStep, 0, kMarkWidth, height());
  return item;
}

void UnitMarks::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter painter(this);
  const std::size_t first = firstInSight();
  const int middle = height() / 2;
  for (std::size_t i = first; i < entries_.size(); ++i) {
    const int x = static_cast<int>(i - first) * kMarkStep;
    if (entries_[i].good) {
      painter.fillRect(x, middle - kLow / 2, kMarkWidth, kLow, theme.agreesTile);
      continue;
    }
    painter.fillRect(x, middle - kTall / 2, kMarkWidth, kTall, theme.differs);
    painter.setPen(QPen(theme.paper, 2));
    painter.drawLine(x, middle - kTall / 2, x + kMarkWidth, middle + kTall / 2);
  }
}

bool UnitMarks::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const std::size_t index = firstInSight() + static_cast<std::size_t>(std::max(0, help->pos().x())) / kMarkStep;
  if (index < entries_.size()) {
    QToolTip::showText(help->globalPos(), words(entries_[index]), this);
  }
  return true;
}

}  // namespace imprimo::app
