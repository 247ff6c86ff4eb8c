// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_bytes.h"

#include <QKeyEvent>
#include <QPainter>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kRow = 17;
constexpr int kHead = 28;

QString printable(std::optional<std::uint8_t> value) {
  return value && *value >= 0x20 && *value < 0x7F ? QString(QChar(*value)) : QStringLiteral("·");
}

}  // namespace

ImageBytes::ImageBytes(ImageDocument& document, QWidget* parent) : QWidget(parent), document_(document) {
  setObjectName("imageBytes");
  setAccessibleName(tr("Bytes as in the file and as they will be stored"));
  setFocusPolicy(Qt::StrongFocus);
  speaksFor(this);
  connect(&document_, &ImageDocument::changed, this, qOverload<>(&QWidget::update));
  connect(&document_, &ImageDocument::selectionChanged, this, qOverload<>(&QWidget::update));
  connect(&document_, &ImageDocument::positionChanged, this, [this] {
    if (!visible().contains(document_.position())) first_ = document_.position() / kPerRow * kPerRow;
    currentChanged();
    update();
  });
}

int ImageBytes::rows() const {
  return std::max(1, (height() - kHead - 6) / kRow);
}

AddressRange ImageBytes::visible() const {
  return {first_, first_ + static_cast<std::uint64_t>(rows() * kPerRow)};
}

const Piece* ImageBytes::pieceAt(std::uint64_t address) const {
  const auto& pieces = document_.pieces();
  for (std::size_t i = pieces.size(); i-- > 0;) {
    if (pieces[i].image.at(address)) return &pieces[i];
  }
  return nullptr;
}

std::optional<std::uint8_t> ImageBytes::stored(std::uint64_t address) const {
  const Piece* piece = pieceAt(address);
  return piece == nullptr ? std::nullopt : piece->image.at(address);
}

std::optional<std::uint8_t> ImageBytes::left(std::uint64_t address) const {
  if (document_.comparison().other()) return document_.comparison().other()->at(address);
  const Piece* piece = pieceAt(address);
  return piece == nullptr || !piece->source ? std::nullopt : piece->source->file.image.at(address - piece->moved);
}

QString ImageBytes::leftTitle() const {
  return document_.comparison().other() ? tr("IN %1").arg(document_.comparison().name().toUpper())
                                        : tr("AS IN THE FILE");
}

void ImageBytes::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  draw(painter, Theme::current());
}

void ImageBytes::draw(QPainter& painter, const Theme& theme) const {
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(hasFocus() ? theme.planned : theme.line, hasFocus() ? 2 : 1));
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  const auto [leftAt, rightAt, cell, c] = lanes();
  const int addressWidth = leftAt - 12, lane = cell * kPerRow + c * kPerRow + 2 * c;
  painter.setFont(textFont(11, QFont::DemiBold));
  painter.setPen(theme.muted);
  painter.drawText(QRect(leftAt, 6, lane, 18), Qt::AlignVCenter, leftTitle());
  painter.setPen(theme.planned);
  painter.drawText(QRect(rightAt, 6, lane, 18), Qt::AlignVCenter, tr("AS IT WILL BE STORED"));
  painter.setFont(byteFont());
  for (int row = 0; row < rows(); ++row) {
    const std::uint64_t begin = first_ + static_cast<std::uint64_t>(row * kPerRow);
    const int y = kHead + row * kRow;
    painter.setPen(theme.muted);
    painter.drawText(QRect(12, y, addressWidth, kRow), Qt::AlignVCenter,
                     QString::fromStdString(hexAddress(begin)).mid(2));
    for (int i = 0; i < kPerRow; ++i) {
      const std::uint64_t address = begin + static_cast<std::uint64_t>(i);
      const auto file = left(address), whole = stored(address);
      const bool differs = document_.comparison().other()
                               ? file != (whole ? whole : std::optional{document_.state().fill}) && file
                               : file != whole;
      for (const bool right : {false, true}) {
        const auto value = right ? whole : file;
        const int x = (right ? rightAt : leftAt) + i * cell;
        const QRect hex(x, y, 2 * c, kRow);
        if (address == document_.position()) {
          painter.setPen(QPen(hasFocus() ? theme.planned : theme.faint, 2));
          painter.setBrush(Qt::NoBrush);
          painter.drawRoundedRect(hex.adjusted(-3, 1, 3, -1), 3, 3);
        }
        if (differs && document_.comparison().other()) {
          painter.setPen(Qt::NoPen);
          painter.setBrush(right ? theme.plannedTint : theme.differsTint);
          painter.drawRoundedRect(hex.adjusted(-2, 2, 2, -2), 3, 3);
        }
        painter.setPen(!value || *value == document_.state().fill ? theme.faint
                       : differs && right                         ? theme.planned
                                                                  : theme.ink);
        painter.drawText(hex, Qt::AlignCenter, value ? QString("%1").arg(*value, 2, 16, QChar('0')).toUpper() : "··");
        painter.setPen(theme.muted);
        painter.drawText(QRect((right ? rightAt : leftAt) + kPerRow * cell + c + i * c, y, c, kRow), Qt::AlignCenter,
                         printable(value));
      }
    }
  }
}

ImageBytes::Lanes ImageBytes::lanes() const {
  const int c = QFontMetrics(byteFont()).horizontalAdvance('0');
  const int cell = c * 3, lane = cell * kPerRow + c * kPerRow + 2 * c;
  const int addressWidth = 10 * c, leftAt = 12 + addressWidth;
  return {leftAt, std::max(leftAt + lane + 2 * c, (width() + addressWidth) / 2), cell, c};
}

int ImageBytes::spokenCount() const {
  return static_cast<int>(visible().size());
}

SpokenItem ImageBytes::spokenItem(int index) const {
  const std::uint64_t address = first_ + static_cast<std::uint64_t>(index);
  const auto text = [](std::optional<std::uint8_t> value) {
    return value ? QString("%1").arg(*value, 2, 16, QChar('0')).toUpper() : tr("nothing");
  };
  const Lanes at = lanes();
  SpokenItem item;
  item.name = QString::fromStdString(hexAddress(address));
  item.value =
      tr("%1 %2, as it will be stored %3").arg(leftTitle().toLower(), text(left(address)), text(stored(address)));
  item.rect = QRect(at.right + index % kPerRow * at.cell, kHead + index / kPerRow * kRow, 2 * at.charWidth, kRow);
  item.isSelected = address == document_.position();
  item.canBePressed = true;
  return item;
}

int ImageBytes::spokenCurrent() const {
  return visible().contains(document_.position()) ? static_cast<int>(document_.position() - first_) : -1;
}

void ImageBytes::spokenPress(int index) {
  document_.setPosition(first_ + static_cast<std::uint64_t>(index));
}

void ImageBytes::scroll(std::int64_t by) {
  const auto bytes = by * kPerRow;
  const auto last = static_cast<std::int64_t>(document_.extent() / kPerRow * kPerRow);
  first_ = static_cast<std::uint64_t>(std::clamp<std::int64_t>(static_cast<std::int64_t>(first_) + bytes, 0, last));
  update();
}

void ImageBytes::keyPressEvent(QKeyEvent* event) {
  const auto move = [&](std::int64_t by) {
    const auto to = static_cast<std::int64_t>(document_.position()) + by;
    const auto last = static_cast<std::int64_t>(document_.extent()) - 1;
    document_.setPosition(static_cast<std::uint64_t>(std::clamp<std::int64_t>(to, 0, last)));
  };
  switch (event->key()) {
    case Qt::Key_Left:
      return move(-1);
    case Qt::Key_Right:
      return move(1);
    case Qt::Key_Up:
      return move(-kPerRow);
    case Qt::Key_Down:
      return move(kPerRow);
    case Qt::Key_PageUp:
      return move(-std::int64_t{kPerRow} * rows());
    case Qt::Key_PageDown:
      return move(std::int64_t{kPerRow} * rows());
    default:
      QWidget::keyPressEvent(event);
  }
}

void ImageBytes::wheelEvent(QWheelEvent* event) {
  scroll(-event->angleDelta().y() / 40);
  event->accept();
}

bool ImageBytes::event(QEvent* event) {
  if (event->type() == QEvent::FocusIn || event->type() == QEvent::FocusOut) update();
  return QWidget::event(event);
}

}  // namespace imprimo::app
