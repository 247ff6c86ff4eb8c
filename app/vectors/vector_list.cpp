// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/vector_list.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <algorithm>

namespace imprimo::app {
namespace {

constexpr int kMostRows = 1'000'000'000;
constexpr int kNumberWidth = 76;
constexpr double kTextShare = 0.56;  // of what is right of the numbers; the rest is for words

}  // namespace

VectorList::VectorList(VectorDocument& document, QWidget* parent) : QAbstractScrollArea(parent), document_(document) {
  setObjectName("vectorList");
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setAccessibleName(tr("The file's statements"));
  setFocusPolicy(Qt::StrongFocus);
  speaksFor(this);
  for (const auto signal : {&VectorDocument::changed, &VectorDocument::surveyChanged}) {
    connect(&document, signal, this, [this] {
      setRange();
      viewport()->update();
    });
  }
  connect(&document, &VectorDocument::positionChanged, this, &VectorList::followPosition);
  for (const auto signal : {&VectorDocument::playChanged, &VectorDocument::marksChanged, &VectorDocument::factsChanged})
    connect(&document, signal, viewport(), QOverload<>::of(&QWidget::update));
}

void VectorList::setAsWritten(bool on) {
  asWritten_ = on;
  viewport()->update();
}

std::uint64_t VectorList::firstRow() const {
  return static_cast<std::uint64_t>(verticalScrollBar()->value());
}

void VectorList::setRange() {
  const auto rows = static_cast<int>(std::min<std::uint64_t>(document_.survey().rows, kMostRows));
  verticalScrollBar()->setPageStep(std::max(1, visibleRows()));
  verticalScrollBar()->setRange(0, std::max(0, rows - visibleRows()));
}

void VectorList::followPosition() {
  const auto row = static_cast<int>(std::min<std::uint64_t>(document_.row(), kMostRows));
  const int first = verticalScrollBar()->value(), shown = visibleRows();
  // A little of what comes is shown too.
  if (row < first + 2 || row >= first + shown - 3) verticalScrollBar()->setValue(row - shown / 2);
  currentChanged();
  viewport()->update();
}

void VectorList::resizeEvent(QResizeEvent*) {
  setRange();
  if (document_.playing().mismatch()) followPosition();  // what differs has just taken room away
}

void VectorList::paintEvent(QPaintEvent* event) {
  QPainter painter(viewport());
  draw(painter, event->rect(), Theme::current());
}

void VectorList::draw(QPainter& painter, const QRect& exposed, const Theme& theme) const {
  painter.fillRect(exposed, theme.panel);
  if (!document_.isOpen()) return;
  const std::uint64_t current = document_.row();
  const int from = exposed.top() / kRowHeight, to = exposed.bottom() / kRowHeight;
  for (int i = from; i <= to; ++i) {
    const std::uint64_t number = firstRow() + static_cast<std::uint64_t>(i);
    if (number >= document_.survey().rows && !document_.survey().problem) return;
    const VectorRow* row = document_.file()->row(document_.survey(), number);
    if (row == nullptr) return;
    const QRect line(0, i * kRowHeight, viewport()->width(), kRowHeight);
    if (number == current) {
      painter.setRenderHint(QPainter::Antialiasing);
      painter.setPen(hasFocus() ? QPen(theme.planned, 1) : QPen(Qt::NoPen));
      painter.setBrush(document_.playing().mismatch() ? theme.differsTint : theme.plannedTint);
      painter.drawRoundedRect(QRectF(line).adjusted(3.5, 0.5, -3.5, -0.5), 4, 4);
      painter.setRenderHint(QPainter::Antialiasing, false);
    }
    drawRow(painter, line, *row, theme);
  }
}

void VectorList::drawRow(QPainter& painter, const QRect& line, const VectorRow& row, const Theme& theme) const {
  const bool differs = document_.playing().mismatch() && row.place == document_.playing().mismatch()->place;
  painter.setFont(byteFont(12));
  painter.setPen(theme.faint);
  painter.drawText(QRect(line.left() + 14, line.top(), kNumberWidth - 26, line.height()),
                   Qt::AlignRight | Qt::AlignVCenter, QString::number(row.place.line));
  if (document_.bookmarks().contains(row.place.offset)) {
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.ink);
    painter.drawPolygon(QPolygon({QPoint(5, line.top() + 5), QPoint(13, line.top() + 5), QPoint(13, line.bottom() - 4),
                                  QPoint(9, line.bottom() - 8), QPoint(5, line.bottom() - 4)}));
  }
  const int left = line.left() + kNumberWidth, width = line.width() - kNumberWidth - 12;
  const bool whole = row.comment || row.broken || asWritten_;
  const QRect textBox(left, line.top(), whole ? width : static_cast<int>(width * kTextShare) - 10, line.height());
  QString text = row.text;
  if (row.broken) text = row.words;
  if (asWritten_ && !row.comment && !row.broken) text = document_.file()->asWritten(row, 600);
  painter.setFont(row.broken ? textFont(12, QFont::DemiBold) : byteFont(12));
  if (row.step) {
    QFont bold = byteFont(12);
    bold.setBold(true);
    painter.setFont(bold);
  }
  painter.setPen(differs || row.broken ? theme.differs : row.step ? theme.ink : row.comment ? theme.muted : theme.ink);
  painter.drawText(textBox, Qt::AlignVCenter,
                   QFontMetrics(painter.font()).elidedText(text, Qt::ElideRight, textBox.width()));
  if (whole) return;
  const QRect wordBox(left + static_cast<int>(width * kTextShare), line.top(),
                      width - static_cast<int>(width * kTextShare), line.height());
  painter.setFont(textFont(12));
  painter.setPen(differs ? theme.differs : theme.muted);
  painter.drawText(wordBox, Qt::AlignVCenter,
                   QFontMetrics(painter.font()).elidedText(row.words, Qt::ElideRight, wordBox.width()));
}

void VectorList::mousePressEvent(QMouseEvent* event) {
  if (!document_.isOpen() || event->button() != Qt::LeftButton) return;
  const std::uint64_t number = firstRow() + static_cast<std::uint64_t>(event->pos().y() / kRowHeight);
  if (const VectorRow* row = document_.file()->row(document_.survey(), number))
    document_.setPosition(row->place.offset);
}

void VectorList::keyPressEvent(QKeyEvent* event) {
  if (event->matches(QKeySequence::Copy)) return copy();
  switch (event->key()) {
    case Qt::Key_Up:
      return document_.moveRows(-1);
    case Qt::Key_Down:
      return document_.moveRows(1);
    case Qt::Key_PageUp:
      return document_.moveRows(-visibleRows());
    case Qt::Key_PageDown:
      return document_.moveRows(visibleRows());
    case Qt::Key_Home:
      return document_.moveRows(-static_cast<std::int64_t>(document_.row()));
    case Qt::Key_End:
      return document_.moveRows(static_cast<std::int64_t>(document_.survey().rows));
    case Qt::Key_Left:
      return document_.moveMarks(-1);
    case Qt::Key_Right:
      return document_.moveMarks(1);
    default:
      QAbstractScrollArea::keyPressEvent(event);
  }
}

int VectorList::spokenCount() const {
  if (!document_.isOpen()) return 1;
  const std::uint64_t rows = document_.survey().rows, first = std::min(firstRow(), rows);
  return static_cast<int>(
      std::max<std::uint64_t>(1, std::min<std::uint64_t>(rows - first, static_cast<std::uint64_t>(visibleRows()))));
}

SpokenItem VectorList::spokenItem(int index) const {
  SpokenItem item;
  const std::uint64_t number = firstRow() + static_cast<std::uint64_t>(index);
  item.rect = QRect(0, index * kRowHeight, viewport()->width(), kRowHeight);
  const VectorRow* row = document_.isOpen() ? document_.file()->row(document_.survey(), number) : nullptr;
  if (row == nullptr) {
    item.name = tr("No statement");
    item.role = QAccessible::StaticText;
    return item;
  }
  // Several statements may stand in one line.
  item.name = tr("Line %1, column %2: %3").arg(row->place.line).arg(row->place.column).arg(row->text);
  item.value = row->words;
  if (document_.bookmarks().contains(row->place.offset)) item.value += tr(", bookmarked");
  if (document_.playing().mismatch() && row->place == document_.playing().mismatch()->place)
    item.value += tr(", differs");
  item.isSelected = number == document_.row();
  item.canBePressed = true;
  return item;
}

int VectorList::spokenCurrent() const {
  if (!document_.isOpen() || document_.row() < firstRow()) return -1;
  const std::uint64_t index = document_.row() - firstRow();
  return index < static_cast<std::uint64_t>(spokenCount()) ? static_cast<int>(index) : -1;
}

void VectorList::spokenPress(int index) {
  if (!document_.isOpen()) return;
  const VectorRow* row = document_.file()->row(document_.survey(), firstRow() + static_cast<std::uint64_t>(index));
  if (row != nullptr) document_.setPosition(row->place.offset);
}

void VectorList::copy() {
  if (!document_.isOpen()) return;
  const VectorRow* row = document_.file()->row(document_.survey(), document_.row());
  if (row != nullptr) QApplication::clipboard()->setText(document_.file()->asWritten(*row, 1 << 20));
}

void VectorList::focusInEvent(QFocusEvent* event) {
  QAbstractScrollArea::focusInEvent(event);
  viewport()->update();
}

void VectorList::focusOutEvent(QFocusEvent* event) {
  QAbstractScrollArea::focusOutEvent(event);
  viewport()->update();
}

}  // namespace imprimo::app
