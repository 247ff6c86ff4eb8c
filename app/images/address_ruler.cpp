// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/address_ruler.h"

#include <QApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>

#include "app/look/text.h"

namespace imprimo::app {
namespace {

constexpr std::uint64_t kClosest = 64;  // bytes on the whole ruler

}  // namespace

AddressRuler::AddressRuler(ImageDocument& document, QWidget* parent) : QWidget(parent), document_(document) {
  setObjectName("addressRuler");
  setAccessibleName(tr("The image on a ruler of addresses"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  speaksFor(this);
  for (const auto signal : {&ImageDocument::changed, &ImageDocument::selectionChanged}) {
    connect(&document_, signal, this, [this] {
      currentChanged();
      update();
    });
  }
  connect(&document_, &ImageDocument::positionChanged, this, qOverload<>(&QWidget::update));
}

RulerGeometry AddressRuler::geometryNow() const {
  const QFontMetrics metrics(byteFont());
  return RulerGeometry::fit(size(), shown_.value_or(AddressRange{0, document_.extent()}),
                            metrics.horizontalAdvance('0'));
}

std::uint64_t AddressRuler::step() const {
  return document_.state().block > 0 ? document_.state().block : 0x1000;
}

std::optional<std::size_t> AddressRuler::pieceAt(const QPoint& point) const {
  const RulerGeometry g = geometryNow();
  // The topmost is the last one painted.
  for (std::size_t i = document_.pieces().size(); i-- > 0;) {
    for (const MemoryImage::Segment& s : document_.pieces()[i].image.segmentsIn(g.shown)) {
      if (g.rectOf(s.range()).adjusted(0, -2, 0, 2).contains(point)) return i;
    }
  }
  return std::nullopt;
}

QString AddressRuler::textAt(const QPoint& point) const {
  const RulerGeometry g = geometryNow();
  const std::uint64_t address = g.addressAt(point.y());
  if (const auto piece = pieceAt(point)) {
    const Piece& p = document_.pieces()[*piece];
    return tr("%1\n%2\n%3")
        .arg(QString::fromStdString(p.name()), plainHex(p.image.extent()),
             QString::fromStdString(sizeText(p.image.byteCount())));
  }
  for (const AddressRange& keep : document_.kept()) {
    if (keep.contains(address)) return tr("kept: %1").arg(plainHex(keep));
  }
  return tr("%1: empty").arg(plainHex(address));
}

void AddressRuler::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton) return;
  const RulerGeometry g = geometryNow();
  const auto piece = pieceAt(event->pos());
  const std::uint64_t address = g.addressAt(event->pos().y());
  if (!piece) {
    document_.setPosition(address);
    return;
  }
  const auto file = document_.fileOf(*piece);
  if (!file) return document_.setPosition(document_.pieces()[*piece].image.extent().begin);
  document_.select(*file);
  const AddressRange extent = document_.pieces()[*piece].image.extent();
  drag_ = Drag{*file, extent.contains(address) ? address - extent.begin : 0, event->pos(), false, extent};
}

void AddressRuler::mouseMoveEvent(QMouseEvent* event) {
  if (!drag_) {
    const auto piece = pieceAt(event->pos());
    setCursor(piece && document_.fileOf(*piece) ? Qt::SizeVerCursor : Qt::ArrowCursor);
    return;
  }
  if (!drag_->moving && (event->pos() - drag_->from).manhattanLength() < QApplication::startDragDistance()) return;
  drag_->moving = true;
  const RulerGeometry g = geometryNow();
  const std::uint64_t under = g.addressAt(event->pos().y());
  std::uint64_t begin = under > drag_->grip ? under - drag_->grip : 0;
  if ((event->modifiers() & Qt::AltModifier) == 0) begin = snapped(begin, step());
  const std::uint64_t size = drag_->ghost.size();
  const std::uint64_t end = std::max(document_.extent(), size);
  if (begin > end - size)
    begin = (event->modifiers() & Qt::AltModifier) != 0 ? end - size : (end - size) / step() * step();
  drag_->ghost = {begin, begin + size};
  update();
}

void AddressRuler::mouseReleaseEvent(QMouseEvent*) {
  const auto drag = std::exchange(drag_, std::nullopt);
  if (drag && drag->moving) document_.moveTo(drag->file, drag->ghost.begin);
  update();
}

void AddressRuler::mouseDoubleClickEvent(QMouseEvent* event) {
  const auto piece = pieceAt(event->pos());
  if (!piece) return showAll();
  const AddressRange extent = document_.pieces()[*piece].image.extent();
  const std::uint64_t around = std::max<std::uint64_t>(extent.size() / 2, kClosest);
  shown_ = AddressRange{extent.begin > around ? extent.begin - around : 0, extent.end + around};
  update();
}

void AddressRuler::zoom(double factor, double y) {
  const RulerGeometry g = geometryNow();
  const std::uint64_t all = document_.extent();
  const std::uint64_t middle = g.addressAt(y);
  const double size =
      std::clamp(static_cast<double>(g.shown.size()) * factor, static_cast<double>(kClosest), static_cast<double>(all));
  if (size >= static_cast<double>(all)) return showAll();
  const auto bytes = static_cast<std::uint64_t>(size);
  const double part = (y - g.strip.top()) / g.strip.height();
  const auto above = static_cast<std::uint64_t>(std::clamp(part, 0.0, 1.0) * size);
  const std::uint64_t begin = std::min(middle > above ? middle - above : 0, all - bytes);
  shown_ = AddressRange{begin, begin + bytes};
  update();
}

void AddressRuler::showAll() {
  shown_.reset();
  update();
}

void AddressRuler::pan(std::int64_t by) {
  if (!shown_) return;
  const std::uint64_t all = document_.extent(), size = shown_->size();
  const std::uint64_t limit = all > size ? all - size : 0;
  const auto begin = static_cast<std::int64_t>(shown_->begin) + by;
  const std::uint64_t to = std::min(begin < 0 ? 0 : static_cast<std::uint64_t>(begin), limit);
  shown_ = AddressRange{to, to + size};
  update();
}

void AddressRuler::showAddress(std::uint64_t address) {
  if (!shown_ || shown_->contains(address)) return;
  pan(static_cast<std::int64_t>(address) - static_cast<std::int64_t>(shown_->begin + shown_->size() / 2));
}

void AddressRuler::wheelEvent(QWheelEvent* event) {
  const double notches = event->angleDelta().y() / 120.0;
  if ((event->modifiers() & Qt::ControlModifier) != 0) {
    zoom(std::pow(0.8, notches), event->position().y());
  } else {
    pan(static_cast<std::int64_t>(-notches * static_cast<double>(geometryNow().shown.size()) / 8));
  }
  event->accept();
}

void AddressRuler::selectNeighbour(int direction) {
  // In the order of their addresses.
  std::vector<std::pair<std::uint64_t, std::size_t>> order;
  for (std::size_t i = 0; i < document_.files().size(); ++i) {
    if (document_.files()[i].piece) order.emplace_back(document_.files()[i].piece->image.extent().begin, i);
  }
  if (order.empty()) return;
  std::sort(order.begin(), order.end());
  auto now = std::find_if(order.begin(), order.end(), [&](const auto& o) { return document_.selected() == o.second; });
  const auto last = static_cast<std::ptrdiff_t>(order.size()) - 1;
  const std::ptrdiff_t index = now == order.end()
                                   ? (direction > 0 ? 0 : last)
                                   : std::clamp<std::ptrdiff_t>(now - order.begin() + direction, 0, last);
  document_.select(order[static_cast<std::size_t>(index)].second);
  showAddress(document_.position());
}

void AddressRuler::moveSelected(std::int64_t by) {
  const auto selected = document_.selected();
  if (!selected || !document_.files()[*selected].piece) return;
  const AddressRange extent = document_.files()[*selected].piece->image.extent();
  const auto begin = static_cast<std::int64_t>(extent.begin) + by;
  std::uint64_t to = begin < 0 ? 0 : static_cast<std::uint64_t>(begin);
  // The first step brings a crooked piece onto a block.
  if (std::abs(by) > 1 && to % step() != 0) to = by > 0 ? to / step() * step() : (to + step() - 1) / step() * step();
  if (to > std::max(document_.extent(), extent.size()) - extent.size()) return;
  document_.moveTo(*selected, to, 1 + static_cast<int>(*selected));
  showAddress(to);
}

void AddressRuler::keyPressEvent(QKeyEvent* event) {
  const bool control = (event->modifiers() & Qt::ControlModifier) != 0;
  const auto block = static_cast<std::int64_t>((event->modifiers() & Qt::AltModifier) != 0     ? 1
                                               : (event->modifiers() & Qt::ShiftModifier) != 0 ? 16 * step()
                                                                                               : step());
  switch (event->key()) {
    case Qt::Key_Up:
      return control ? moveSelected(-block) : selectNeighbour(-1);
    case Qt::Key_Down:
      return control ? moveSelected(block) : selectNeighbour(1);
    case Qt::Key_PageUp:
      return pan(-static_cast<std::int64_t>(geometryNow().shown.size()) / 2);
    case Qt::Key_PageDown:
      return pan(static_cast<std::int64_t>(geometryNow().shown.size()) / 2);
    case Qt::Key_Plus:
    case Qt::Key_Equal:
      return zoom(0.5, geometryNow().yOf(document_.position()));
    case Qt::Key_Minus:
      return zoom(2, geometryNow().yOf(document_.position()));
    case Qt::Key_0:
      return showAll();
    case Qt::Key_Escape:
      drag_.reset();
      return update();
    case Qt::Key_Delete:
      if (document_.selected()) document_.remove(*document_.selected());
      return;
    default:
      QWidget::keyPressEvent(event);
  }
}

bool AddressRuler::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(event);
    QToolTip::showText(help->globalPos(), textAt(help->pos()), this);
    return true;
  }
  if (event->type() == QEvent::FocusIn || event->type() == QEvent::FocusOut) update();
  return QWidget::event(event);
}

}  // namespace imprimo::app
