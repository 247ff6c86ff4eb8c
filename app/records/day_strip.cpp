// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/records/day_strip.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "app/look/theme.h"
#include "app/records/record_painter.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kColumn = 20, kMarkSize = 7, kStep = 10, kLabel = 18, kMarks = 6, kTop = 6, kAcross = 2;

}  // namespace

DayStrip::DayStrip(QWidget* parent) : QWidget(parent) {
  setObjectName("dayStrip");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Days"));
  setAccessibleDescription(tr("Arrow keys choose one"));
  speaksFor(this);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

QSize DayStrip::sizeHint() const {
  return {600, kTop + kMarks * kStep + kLabel};
}

QSize DayStrip::minimumSizeHint() const {
  return {200, sizeHint().height()};
}

void DayStrip::setDays(std::vector<records::DayCount> days, const std::string& chosen) {
  days_ = std::move(days);
  chosen_ = chosen;
  measure();
  update();
}

std::size_t DayStrip::firstInSight() const {
  const auto fitting = static_cast<std::size_t>(std::max(1, width() / kColumn));
  return days_.size() > fitting ? days_.size() - fitting : 0;
}

/// Two marks stand beside each other, six on top of each other.
void DayStrip::measure() {
  std::uint64_t most = 1;
  for (const records::DayCount& day : days_) most = std::max(most, day.runs);
  constexpr std::uint64_t kFitting = std::uint64_t{kMarks} * kAcross;
  scale_ = 1;
  for (const std::uint64_t each : {1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000, 50000, 100000}) {
    scale_ = each;
    if ((most + each - 1) / each <= kFitting) break;
  }
  currentChanged();
}

QString DayStrip::words(const records::DayCount& day) const {
  return tr("%1: %2, %3 failed, %4 each")
      .arg(QString::fromStdString(day.day), QString::fromStdString(countText(day.runs, "run")))
      .arg(day.runs - day.good)
      .arg(QString::fromStdString(
          durationText(day.seconds / static_cast<double>(std::max<std::uint64_t>(day.runs, 1)))));
}

int DayStrip::spokenCount() const {
  return static_cast<int>(std::max<std::size_t>(1, days_.size() - firstInSight()));
}

SpokenItem DayStrip::spokenItem(int index) const {
  SpokenItem item;
  if (days_.empty()) {
    item.name = tr("No day has runs.");
    item.role = QAccessible::StaticText;
    item.rect = rect();
    return item;
  }
  const records::DayCount& day = days_[firstInSight() + static_cast<std::size_t>(index)];
  item.name = QString::fromStdString(day.day);
  item.value = words(day).section(": ", 1);
  item.rect = columnOf(day.day);
  item.isSelected = day.day == chosen_;
  item.canBePressed = true;
  return item;
}

int DayStrip::spokenCurrent() const {
  for (std::size_t i = firstInSight(); i < days_.size(); ++i) {
    if (days_[i].day == chosen_) return static_cast<int>(i - firstInSight());
  }
  return -1;
}

void DayStrip::spokenPress(int index) {
  if (!days_.empty()) choose(days_[firstInSight() + static_cast<std::size_t>(index)].day);
}

QRect DayStrip::columnOf(const std::string& day) const {
  const std::size_t first = firstInSight();
  for (std::size_t i = first; i < days_.size(); ++i) {
    if (days_[i].day == day) return {static_cast<int>(i - first) * kColumn, 0, kColumn, height()};
  }
  return {};
}

void DayStrip::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter painter(this);
  const std::size_t first = firstInSight();
  const int base = height() - kLabel;
  painter.setPen(theme.line);
  painter.drawLine(0, base, width(), base);
  std::string month;
  for (std::size_t i = first; i < days_.size(); ++i) {
    const records::DayCount& day = days_[i];
    const int x = static_cast<int>(i - first) * kColumn;
    if (day.day == chosen_) painter.fillRect(QRect(x, 0, kColumn, height()), theme.plannedTint);
    // Whoever failed is at the bottom, and never hidden behind rounding.
    const std::uint64_t bad = day.runs - day.good;
    const auto marks = [&](std::uint64_t runs) { return static_cast<int>((runs + scale_ - 1) / scale_); };
    const int crosses = marks(bad), all = std::max(crosses + (day.good > 0 ? 1 : 0), marks(day.runs));
    for (int mark = 0; mark < all; ++mark) {
      const int level = mark / kAcross;
      const QRectF where(x + 1.5 + (mark % kAcross) * 9.0, base - kStep + 1.5 - level * kStep, kMarkSize, kMarkSize);
      paintMark(painter, where, mark >= crosses);
    }
    painter.setFont(textFont(10));
    painter.setPen(day.day == chosen_ ? theme.planned : theme.muted);
    const QString text = QString::fromStdString(day.day);
    const bool newMonth = day.day.substr(0, 7) != month;
    month = day.day.substr(0, 7);
    painter.drawText(QRect(x, base + 2, kColumn, kLabel - 2), Qt::AlignHCenter | Qt::AlignTop, text.right(2));
    if (newMonth && i > first) {
      painter.setPen(theme.faint);
      painter.drawLine(x, 0, x, base);
    }
  }
  if (hasFocus()) {
    painter.setPen(theme.planned);
    painter.drawRect(rect().adjusted(0, 0, -1, -1));
  }
}

void DayStrip::choose(const std::string& day) {
  chosen_ = day;
  measure();
  update();
  emit dayChosen(QString::fromStdString(day));
}

void DayStrip::mousePressEvent(QMouseEvent* event) {
  const std::size_t index = firstInSight() + static_cast<std::size_t>(std::max(0, event->pos().x())) / kColumn;
  if (index >= days_.size()) return choose({});
  choose(days_[index].day == chosen_ ? std::string() : days_[index].day);
}

void DayStrip::keyPressEvent(QKeyEvent* event) {
  const int step = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
  if (event->key() == Qt::Key_Escape && !chosen_.empty()) return choose({});
  if (step == 0 || days_.empty()) return QWidget::keyPressEvent(event);
  const int count = static_cast<int>(days_.size());
  int at = count;  // none: the newest comes first
  for (int i = 0; i < count; ++i) {
    if (days_[static_cast<std::size_t>(i)].day == chosen_) at = i;
  }
  at = std::clamp(at + step, static_cast<int>(firstInSight()), count - 1);
  choose(days_[static_cast<std::size_t>(at)].day);
}

void DayStrip::focusInEvent(QFocusEvent* event) {
  update();
  QWidget::focusInEvent(event);
}

void DayStrip::focusOutEvent(QFocusEvent* event) {
  update();
  QWidget::focusOutEvent(event);
}

bool DayStrip::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    const std::size_t index = firstInSight() + static_cast<std::size_t>(std::max(0, help->pos().x())) / kColumn;
    if (index < days_.size()) QToolTip::showText(help->globalPos(), words(days_[index]), this);
    return true;
  }
  return QWidget::event(event);
}

}  // namespace imprimo::app
