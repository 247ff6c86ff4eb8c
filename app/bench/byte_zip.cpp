// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/byte_zip.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>
#include <algorithm>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kRowHeight = 17;

QString hexText(std::uint8_t byte) {
  return QString("%1").arg(byte, 2, 16, QChar('0')).toUpper();
}

/// The first place in `range` of `image` where `bytes` stand.
std::optional<std::uint64_t> findIn(const MemoryImage& image, const AddressRange& range, const Bytes& bytes) {
  for (const MemoryImage::Segment& s : image.segmentsIn(range)) {
    const auto at = std::search(s.bytes.begin(), s.bytes.end(), bytes.begin(), bytes.end());
    if (at != s.bytes.end()) return s.begin + static_cast<std::uint64_t>(at - s.bytes.begin());
  }
  return std::nullopt;
}

}  // namespace

ByteZip::ByteZip(const BlockLooks& looks, MemoryCursor& cursor, QWidget* parent)
    : QAbstractScrollArea(parent), looks_(looks), cursor_(cursor) {
  setObjectName("byteZip");
  setAccessibleName(tr("Planned and actual bytes"));
  setFrameShape(QFrame::NoFrame);
  setFocusPolicy(Qt::StrongFocus);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  viewport()->setAutoFillBackground(false);
  speaksFor(this);
  connect(&cursor_, &MemoryCursor::moved, this, &ByteZip::followCursor);
}

ByteLayout ByteZip::layoutNow() const {
  const QFontMetrics metrics(byteFont());
  return ByteLayout::fit(viewport()->width(), viewport()->height(), metrics.horizontalAdvance('0'), kRowHeight);
}

void ByteZip::memoryChanged() {
  anchor_.reset();
  setRange();
  verticalScrollBar()->setValue(0);
  followCursor(cursor_.position());
  emit shown(visible());
}

void ByteZip::setRange() {
  const ByteLayout layout = layoutNow();
  const std::uint64_t rows = (cursor_.whole().size() + static_cast<std::uint64_t>(layout.perRow) - 1) /
                             static_cast<std::uint64_t>(layout.perRow);
  verticalScrollBar()->setRange(
      0, static_cast<int>(std::max<std::int64_t>(0, static_cast<std::int64_t>(rows) - layout.rows)));
  verticalScrollBar()->setPageStep(layout.rows);
}

/// Where a row that is on screen begins.
std::uint64_t ByteZip::rowAddress(const ByteLayout& layout, int row) const {
  return cursor_.whole().begin +
         static_cast<std::uint64_t>(verticalScrollBar()->value() + row) * static_cast<std::uint64_t>(layout.perRow);
}

AddressRange ByteZip::visible() const {
  const ByteLayout layout = layoutNow();
  const std::uint64_t first = rowAddress(layout, 0);
  const auto count = static_cast<std::uint64_t>(layout.rows) * static_cast<std::uint64_t>(layout.perRow);
  return cursor_.whole().cut({first, first + count});
}

void ByteZip::followCursor(quint64 address) {
  const ByteLayout layout = layoutNow();
  const auto row = static_cast<int>((address - cursor_.whole().begin) / static_cast<quint64>(layout.perRow));
  const int first = verticalScrollBar()->value();
  if (row < first) verticalScrollBar()->setValue(row);
  // A jump far away puts its target near the top, where what follows can be read.
  if (row >= first + layout.rows)
    verticalScrollBar()->setValue(row < first + 2 * layout.rows ? row - layout.rows + 1 : std::max(0, row - 2));
  if (!selecting_) anchor_.reset();
  firstDigit_.reset();
  currentChanged();
  viewport()->update();
}

/// Digits put a byte into the planned lane.
bool ByteZip::typeDigit(const QString& text) {
  bool fine = false;
  const int digit = text.size() == 1 ? text.toInt(&fine, 16) : 0;
  if (!fine || lane_ != Lane::Planned || cursor_.whole().empty()) return false;
  if (!firstDigit_) {
    firstDigit_ = static_cast<std::uint8_t>(digit);
    viewport()->update();
    return true;
  }
  const auto byte = static_cast<std::uint8_t>(*firstDigit_ << 4 | digit);
  const std::uint64_t at = cursor_.position();
  firstDigit_.reset();
  emit typed(at, byte);
  moveBy(1, false);
  return true;
}

void ByteZip::scrollContentsBy(int, int) {
  viewport()->update();
  emit shown(visible());
}

void ByteZip::resizeEvent(QResizeEvent* event) {
  QAbstractScrollArea::resizeEvent(event);
  const std::uint64_t first = visible().begin;
  setRange();
  verticalScrollBar()->setValue(
      static_cast<int>((first - cursor_.whole().begin) / static_cast<std::uint64_t>(layoutNow().perRow)));
  emit shown(visible());
}

AddressRange ByteZip::selection() const {
  const std::uint64_t a = anchor_.value_or(cursor_.position());
  const std::uint64_t b = cursor_.position();
  return {std::min(a, b), std::max(a, b) + 1};
}

void ByteZip::drawByte(QPainter& painter, const ByteLayout& layout, const Theme& theme, int row, int column) const {
  const std::uint64_t address = rowAddress(layout, row) + static_cast<std::uint64_t>(column);
  if (address >= cursor_.whole().end) return;
  const auto planned = looks_.planned().at(address);
  const auto found = looks_.contents().at(address);
  const bool differs = planned && found && *planned != *found;
  const bool before = found && !looks_.isSure({address, address + 1});
  const bool selected = !cursor_.whole().empty() && selection().contains(address);
  for (const Lane lane : {Lane::Planned, Lane::Device}) {
    const auto value = lane == Lane::Planned ? planned : found;
    const QRect hex = layout.hexRect(lane, row, column);
    const QRect text = layout.textRect(lane, row, column);
    // What is from before is pale and has no filling: nothing is decided on it.
    const bool pale = before && lane == Lane::Device;
    if (differs && !pale) {
      painter.setPen(Qt::NoPen);
      painter.setBrush(lane == Lane::Planned ? theme.plannedTint : theme.differsTint);
      painter.drawRoundedRect(hex.adjusted(-3, 1, 3, -1), 3, 3);
    }
    painter.setPen(!value || pale          ? theme.faint
                   : !differs              ? theme.ink
                   : lane == Lane::Planned ? theme.planned
                                           : theme.differs);
    const bool typing = firstDigit_ && lane == Lane::Planned && address == cursor_.position();
    painter.drawText(hex, Qt::AlignCenter,
                     typing  ? QString::number(*firstDigit_, 16).toUpper() + "_"
                     : value ? hexText(*value)
                             : QStringLiteral("··"));
    const bool printable = value && *value >= 0x20 && *value < 0x7F;
    painter.setPen(printable ? theme.muted : theme.faint);
    painter.drawText(text, Qt::AlignCenter, printable ? QString(QChar(*value)) : QStringLiteral("·"));
    if (selected) {
      painter.setPen(
          QPen(lane == lane_ && hasFocus() ? theme.planned : theme.faint, address == cursor_.position() ? 2 : 1));
      painter.setBrush(Qt::NoBrush);
      painter.drawRoundedRect(hex.adjusted(-3, 1, 3, -1), 3, 3);
    }
  }
}

void ByteZip::draw(QPainter& painter, const QRect& exposed, const Theme& theme) const {
  const QRect area = viewport()->rect();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.fillRect(area, theme.panel);
  if (hasFocus()) {
    painter.setPen(QPen(theme.planned, 2));
    painter.setBrush(Qt::NoBrush);
    painter.drawRoundedRect(QRectF(area).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  }
  const ByteLayout layout = layoutNow();
  painter.fillRect(layout.gutter().adjusted(0, 3, 0, -3), theme.paper);
  painter.setFont(textFont(11, QFont::DemiBold));
  painter.setPen(theme.planned);
  painter.drawText(layout.laneRect(Lane::Planned), Qt::AlignCenter, tr("PLANNED"));
  painter.setPen(theme.differs);
  bool before = false;
  for (const MemoryImage::Segment& s : looks_.contents().segmentsIn(visible()))
    before = before || !looks_.isSure(s.range());
  painter.drawText(layout.laneRect(Lane::Device), Qt::AlignCenter,
                   before ? tr("ON THE PART, BEFORE") : tr("ON THE PART"));
  if (cursor_.whole().empty()) return;
  painter.setFont(byteFont());
  for (int row = 0; row < layout.rows; ++row) {
    const std::uint64_t address = rowAddress(layout, row);
    if (address >= cursor_.whole().end ||
        !layout.addressRect(row).adjusted(-layout.width, 0, layout.width, 0).intersects(exposed))
      continue;
    painter.setPen(theme.muted);
    painter.drawText(layout.addressRect(row), Qt::AlignCenter, QString::fromStdString(hexAddress(address)).mid(2));
    for (int column = 0; column < layout.perRow; ++column) drawByte(painter, layout, theme, row, column);
  }
}

void ByteZip::paintEvent(QPaintEvent* event) {
  QPainter painter(viewport());
  draw(painter, event->rect(), Theme::current());
}

void ByteZip::focusInEvent(QFocusEvent* event) {
  QAbstractScrollArea::focusInEvent(event);
  viewport()->update();
}

void ByteZip::focusOutEvent(QFocusEvent* event) {
  QAbstractScrollArea::focusOutEvent(event);
  viewport()->update();
}

void ByteZip::mousePressEvent(QMouseEvent* event) {
  const auto hit = layoutNow().at(event->pos());
  if (!hit || event->button() != Qt::LeftButton) return;
  lane_ = hit->lane;
  anchor_.reset();
  const std::uint64_t address =
      visible().begin + static_cast<std::uint64_t>(hit->row * layoutNow().perRow + hit->column);
  cursor_.moveTo(address);
  viewport()->update();
}

void ByteZip::mouseMoveEvent(QMouseEvent* event) {
  const auto hit = layoutNow().at(event->pos());
  if (!hit || (event->buttons() & Qt::LeftButton) == 0) return;
  const auto address =
      static_cast<std::int64_t>(visible().begin) + std::int64_t{hit->row} * layoutNow().perRow + hit->column;
  moveBy(address - static_cast<std::int64_t>(cursor_.position()), true);
}

void ByteZip::moveBy(std::int64_t bytes, bool select) {
  const auto here = static_cast<std::int64_t>(cursor_.position());
  if (cursor_.whole().empty()) return;
  const auto first = static_cast<std::int64_t>(cursor_.whole().begin);
  const auto last = static_cast<std::int64_t>(cursor_.whole().end) - 1;
  if (select && !anchor_) anchor_ = cursor_.position();
  selecting_ = select;
  cursor_.moveTo(static_cast<std::uint64_t>(std::clamp<std::int64_t>(here + bytes, first, last)));
  selecting_ = false;
  if (!select) anchor_.reset();
  viewport()->update();
}

void ByteZip::keyPressEvent(QKeyEvent* event) {
  const ByteLayout layout = layoutNow();
  const bool select = (event->modifiers() & Qt::ShiftModifier) != 0;
  const bool far = (event->modifiers() & Qt::ControlModifier) != 0;
  const auto here = static_cast<std::int64_t>(cursor_.position() - cursor_.whole().begin);
  if (event->matches(QKeySequence::Copy)) return copy();
  switch (event->key()) {
    case Qt::Key_Left:
      return moveBy(-1, select);
    case Qt::Key_Right:
      return moveBy(1, select);
    case Qt::Key_Up:
      return moveBy(-layout.perRow, select);
    case Qt::Key_Down:
      return moveBy(layout.perRow, select);
    case Qt::Key_PageUp:
      return moveBy(-std::int64_t{layout.perRow} * layout.rows, select);
    case Qt::Key_PageDown:
      return moveBy(std::int64_t{layout.perRow} * layout.rows, select);
    case Qt::Key_Home:
      return moveBy(far ? -here : -(here % layout.perRow), select);
    case Qt::Key_End:
      return moveBy(
          far ? static_cast<std::int64_t>(cursor_.whole().size()) - 1 - here : layout.perRow - 1 - here % layout.perRow,
          select);
    case Qt::Key_Space:
      lane_ = lane_ == Lane::Planned ? Lane::Device : Lane::Planned;
      viewport()->update();
      return;
    case Qt::Key_Delete:
      if (lane_ != Lane::Planned) break;
      for (std::uint64_t at = selection().begin, end = selection().end; at < end; ++at) emit typed(at, std::nullopt);
      return;
    case Qt::Key_Escape:
      firstDigit_.reset();
      viewport()->update();
      break;
    default:
      if ((event->modifiers() & (Qt::ControlModifier | Qt::AltModifier)) == 0 && typeDigit(event->text())) return;
  }
  QAbstractScrollArea::keyPressEvent(event);
}

QString ByteZip::selectedText() const {
  QStringList bytes;
  const AddressRange range = selection();
  for (std::uint64_t address = range.begin; address < range.end && bytes.size() < 1 << 16; ++address) {
    const auto value = image(lane_).at(address);
    bytes += value ? hexText(*value) : QStringLiteral("..");
  }
  return bytes.join(' ');
}

void ByteZip::copy() {
  QApplication::clipboard()->setText(selectedText());
}

int ByteZip::spokenCount() const {
  return static_cast<int>(visible().size());
}

SpokenItem ByteZip::spokenItem(int index) const {
  const ByteLayout layout = layoutNow();
  const std::uint64_t address = visible().begin + static_cast<std::uint64_t>(index);
  const auto planned = looks_.planned().at(address), found = looks_.contents().at(address);
  SpokenItem item;
  item.name = QString::fromStdString(hexAddress(address));
  item.value = tr("planned %1, on the part %2")
                   .arg(planned ? hexText(*planned) : tr("nothing"), found ? hexText(*found) : tr("not read"));
  if (planned && found && *planned != *found) item.value += tr(", differs");
  if (found && !looks_.isSure({address, address + 1})) item.value += tr(", from before");
  item.rect = layout.hexRect(lane_, index / layout.perRow, index % layout.perRow);
  item.isSelected = selection().contains(address);
  item.canBePressed = true;
  return item;
}

int ByteZip::spokenCurrent() const {
  const AddressRange range = visible();
  return range.contains(cursor_.position()) ? static_cast<int>(cursor_.position() - range.begin) : -1;
}

void ByteZip::spokenPress(int index) {
  cursor_.moveTo(visible().begin + static_cast<std::uint64_t>(index));
}

std::optional<std::uint64_t> ByteZip::find(const Bytes& bytes) const {
  const AddressRange& whole = cursor_.whole();
  if (bytes.empty() || whole.empty()) return std::nullopt;
  const std::uint64_t from = cursor_.position() + 1;
  for (const AddressRange& range : {AddressRange{from, whole.end}, whole}) {
    const auto planned = findIn(looks_.planned(), range, bytes);
    const auto found = findIn(looks_.contents(), range, bytes);
    if (planned && found) return std::min(*planned, *found);
    if (planned || found) return planned ? planned : found;
  }
  return std::nullopt;
}

}  // namespace imprimo::app
