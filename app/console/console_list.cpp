// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/console/console_list.h"

#include <QApplication>
#include <QClipboard>
#include <QDateTime>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>
#include <algorithm>

#include "app/look/theme.h"

namespace imprimo::app {
namespace {

constexpr int kRow = 18, kMargin = 10, kTime = 92, kChannel = 84;

}  // namespace

ConsoleList::ConsoleList(ConsoleModel& model, QWidget* parent) : QAbstractScrollArea(parent), model_(model) {
  setObjectName("consoleList");
  setAccessibleName(tr("What the target says"));
  setFocusPolicy(Qt::StrongFocus);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  verticalScrollBar()->setSingleStep(1);
  speaksFor(this);
  connect(&model_, &ConsoleModel::shownGrew, this, &ConsoleList::grow);
  connect(&model_, &ConsoleModel::shownChanged, this, &ConsoleList::refresh);
  refresh();
}

int ConsoleList::rowsInSight() const {
  return std::max(1, (viewport()->height() - 2 * 4) / kRow);
}

bool ConsoleList::isAtEnd() const {
  return verticalScrollBar()->value() == verticalScrollBar()->maximum();
}

void ConsoleList::grow() {
  const bool atEnd = !chosen_ && isAtEnd();
  const int count = static_cast<int>(model_.shown().size());
  verticalScrollBar()->setRange(0, std::max(0, count - rowsInSight()));
  verticalScrollBar()->setPageStep(rowsInSight());
  if (atEnd) verticalScrollBar()->setValue(verticalScrollBar()->maximum());
  if (!chosen_ && count > 0) current_ = static_cast<std::size_t>(count) - 1;
  viewport()->update();
}

void ConsoleList::refresh() {
  chosen_ = false;
  current_ = 0;
  verticalScrollBar()->setValue(verticalScrollBar()->maximum());
  grow();
}

void ConsoleList::resizeEvent(QResizeEvent*) {
  grow();
}

void ConsoleList::setCurrent(std::size_t row) {
  if (model_.shown().empty()) return;
  current_ = std::min(row, model_.shown().size() - 1);
  chosen_ = current_ + 1 < model_.shown().size();
  const int at = static_cast<int>(current_), first = verticalScrollBar()->value();
  if (at < first) verticalScrollBar()->setValue(at);
  if (at >= first + rowsInSight()) verticalScrollBar()->setValue(at - rowsInSight() + 1);
  currentChanged();
  viewport()->update();
}

QString ConsoleList::textOf(std::size_t row) const {
  return QString::fromStdString(console::plainText(model_.log().bytes(model_.shown()[row]).toStdString()));
}

QString ConsoleList::whyEmpty() const {
  return model_.filter().isEmpty() ? model_.state() : tr("No line has “%1” in it.").arg(model_.filter());
}

int ConsoleList::spokenCount() const {
  const std::size_t count = model_.shown().size();
  const auto first = std::min(count, static_cast<std::size_t>(verticalScrollBar()->value()));
  return static_cast<int>(std::clamp<std::size_t>(count - first, 1, static_cast<std::size_t>(rowsInSight())));
}

SpokenItem ConsoleList::spokenItem(int index) const {
  SpokenItem item;
  const std::size_t row = static_cast<std::size_t>(verticalScrollBar()->value() + index);
  item.rect = QRect(0, 4 + index * kRow, viewport()->width(), kRow);
  if (row >= model_.shown().size()) {
    item.name = whyEmpty();
    item.role = QAccessible::StaticText;
    return item;
  }
  const ConsoleLog::Line line = model_.log().line(model_.shown()[row]);
  item.name = tr("Line %1: %2").arg(row + 1).arg(textOf(row));
  item.value =
      QDateTime::fromMSecsSinceEpoch(line.time).toString("HH:mm:ss.zzz") + ", " + model_.log().channels()[line.channel];
  item.isSelected = row == current_;
  item.canBePressed = true;
  return item;
}

int ConsoleList::spokenCurrent() const {
  const auto first = static_cast<std::size_t>(verticalScrollBar()->value());
  if (model_.shown().empty() || current_ < first) return -1;
  return current_ - first < static_cast<std::size_t>(spokenCount()) ? static_cast<int>(current_ - first) : -1;
}

void ConsoleList::spokenPress(int index) {
  setCurrent(static_cast<std::size_t>(verticalScrollBar()->value() + index));
}

void ConsoleList::keyPressEvent(QKeyEvent* event) {
  const std::size_t page = static_cast<std::size_t>(rowsInSight());
  if (event->matches(QKeySequence::Copy)) {
    if (current_ < model_.shown().size()) QApplication::clipboard()->setText(textOf(current_));
    return;
  }
  switch (event->key()) {
    case Qt::Key_Up:
      return setCurrent(current_ > 0 ? current_ - 1 : 0);
    case Qt::Key_Down:
      return setCurrent(current_ + 1);
    case Qt::Key_PageUp:
      return setCurrent(current_ > page ? current_ - page : 0);
    case Qt::Key_PageDown:
      return setCurrent(current_ + page);
    case Qt::Key_Home:
      return setCurrent(0);
    case Qt::Key_End:
      return setCurrent(model_.shown().size());
    default:
      QAbstractScrollArea::keyPressEvent(event);
  }
}

void ConsoleList::mousePressEvent(QMouseEvent* event) {
  const int row = (static_cast<int>(event->position().y()) - 4) / kRow + verticalScrollBar()->value();
  if (row >= 0) setCurrent(static_cast<std::size_t>(row));
}

void ConsoleList::drawRow(QPainter& painter, const QRect& area, std::size_t row) const {
  const Theme& theme = Theme::current();
  const ConsoleLog::Line line = model_.log().line(model_.shown()[row]);
  if (row == current_ && chosen_) painter.fillRect(area, theme.plannedTint);
  if (row == current_ && hasFocus()) {
    painter.setPen(theme.planned);
    painter.drawRect(area.adjusted(0, 0, -1, -1));
  }
  const auto cell = [&](int left, int width) { return QRect(area.left() + left, area.top(), width, area.height()); };
  painter.setFont(byteFont(11));
  painter.setPen(theme.muted);
  if (!line.continues) {
    painter.drawText(cell(kMargin, kTime), Qt::AlignVCenter,
                     QDateTime::fromMSecsSinceEpoch(line.time).toString("HH:mm:ss.zzz"));
    painter.setFont(textFont(11));
    painter.drawText(
        cell(kMargin + kTime, kChannel), Qt::AlignVCenter,
        painter.fontMetrics().elidedText(model_.log().channels()[line.channel], Qt::ElideRight, kChannel - 6));
  }
  int left = kMargin + kTime + kChannel;
  if (line.note) {
    painter.setFont(textFont(12));
    painter.setPen(theme.differs);
    painter.drawText(cell(left, area.width() - left - kMargin), Qt::AlignVCenter,
                     QString::fromUtf8(model_.log().bytes(model_.shown()[row])));
    return;
  }
  console::TextStyle style = line.style;
  const std::string text = model_.log().bytes(model_.shown()[row]).toStdString();
  for (const console::StyledPiece& piece : console::styledText(text, style)) {
    if (left > area.width()) break;
    QFont font = byteFont(12);
    font.setBold(piece.style.bold);
    painter.setFont(font);
    // The eight colours of the standard, by the roles of the theme; what is no text stands back.
    const QColor colors[] = {theme.ink,     theme.differs, theme.agrees, theme.erasing, theme.planned,
                             theme.differs, theme.agrees,  theme.muted,  theme.ink};
    painter.setPen(piece.bytes ? theme.faint : colors[piece.style.color]);
    const QString words = QString::fromStdString(piece.text);
    painter.drawText(cell(left, area.width() - left), Qt::AlignVCenter | Qt::TextSingleLine, words);
    left += painter.fontMetrics().horizontalAdvance(words);
  }
}

void ConsoleList::paintEvent(QPaintEvent*) {
  QPainter painter(viewport());
  const Theme& theme = Theme::current();
  painter.fillRect(viewport()->rect(), theme.panel);
  const std::size_t count = model_.shown().size();
  if (count == 0) {
    painter.setFont(textFont(13));
    painter.setPen(theme.muted);
    painter.drawText(viewport()->rect().adjusted(24, 24, -24, -24), Qt::AlignTop | Qt::TextWordWrap, whyEmpty());
    return;
  }
  const auto first = static_cast<std::size_t>(verticalScrollBar()->value());
  for (std::size_t row = first; row < count; ++row) {
    const QRect area(0, 4 + static_cast<int>(row - first) * kRow, viewport()->width(), kRow);
    if (area.top() > viewport()->height()) break;
    drawRow(painter, area, row);
  }
}

}  // namespace imprimo::app
