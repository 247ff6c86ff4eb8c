// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rail/chain_rail.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QDrag>
#include <QFileInfo>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kLineX = 12;
constexpr const char* kMemoryMime = "application/x-imprimo-memory";  // a memory of this sheet, by its name

}  // namespace

ChainRail::ChainRail(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("chainRail");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Scan chain"));
  setAcceptDrops(true);
  speaksFor(this);
  edit_ = new RailEdit(this);
  connect(&bench_.needs(), &BoardNeeds::changed, this, &ChainRail::rebuild);
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::linkChanged, &Workbench::memoryChanged,
                            &Workbench::looksChanged, &Workbench::deviceChanged}) {
    connect(&bench_, signal, this, &ChainRail::rebuild);
  }
  rebuild();
}

void ChainRail::rebuild() {
  rail_ = layOutRail(bench_);
  if (current_ >= rail_.items.size()) current_ = 0;
  // The memory that is looked at is where the keys are, unless they were moved to a part.
  for (std::size_t i = 0; i < rail_.items.size(); ++i) {
    const RailItem& item = rail_.items[i];
    if (!hasFocus() && isShown(item)) current_ = i;
  }
  if (height_ != rail_.bottom + 20) {
    height_ = rail_.bottom + 20;
    updateGeometry();
  }
  currentChanged();
  update();
}

const RailItem* ChainRail::current() const {
  return current_ < rail_.items.size() ? &rail_.items[current_] : nullptr;
}

/// The sheet's IDCODE above the found one, field under field; those that differ are bold and underlined.
void ChainRail::drawIds(QPainter& painter, const QRect& inner, const RailItem& item, const Theme& theme) const {
  const IdcodeText rows[] = {idcodeText(item.expectedId->value, item.expectedId->mask), idcodeText(*item.foundId)};
  const QString names[] = {tr("sheet"), tr("found")};
  for (int r = 0; r < 2; ++r) {
    const int y = inner.top() + 19 + r * 15;
    int x = inner.left();
    painter.setFont(textFont(11));
    painter.setPen(theme.muted);
    painter.drawText(QRect(x, y, 40, 14), Qt::AlignVCenter, names[r]);
    x += 42;
    const std::pair<QString, bool> fields[] = {{rows[r].version, item.fields.version},
                                               {rows[r].partNumber, item.fields.partNumber},
                                               {rows[r].maker, item.fields.maker}};
    for (const auto& [digits, differs] : fields) {
      QFont font = byteFont(12);
      font.setBold(differs);
      font.setUnderline(differs);
      painter.setFont(font);
      painter.setPen(!differs ? theme.ink : r == 0 ? theme.planned : theme.differs);
      const int width = painter.fontMetrics().horizontalAdvance(digits);
      painter.drawText(QRect(x, y, width + 2, 14), Qt::AlignVCenter, digits);
      x += width + 7;
    }
  }
}

void ChainRail::drawCut(QPainter& painter, const Theme& theme) const {
  const int y = *rail_.cutAt + 4;
  painter.fillRect(QRect(kLineX - 6, y - 5, 13, 11), theme.paper);
  painter.setPen(QPen(theme.differs, 2));
  painter.drawLine(kLineX - 5, y + 1, kLineX + 5, y - 4);
  painter.drawLine(kLineX - 5, y + 5, kLineX + 5, y);
  painter.setFont(textFont(11, QFont::DemiBold));
  painter.drawText(QRect(kRailDeviceLeft, y - 8, 160, 16), Qt::AlignVCenter, tr("cut here"));
}

/// In ochre, dashed: nothing is wrong yet, and something is missing.
void ChainRail::drawNeeds(QPainter& painter, const RailItem& item, const Theme& theme) const {
  painter.setPen(QPen(item.needsWrong ? theme.differs : theme.erasing, 1, Qt::DashLine));
  painter.setBrush(item.needsWrong ? theme.differsTint : theme.erasingTint);
  painter.drawRoundedRect(QRectF(item.needsRect).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
  painter.setFont(textFont(11));
  painter.setPen(theme.ink);
  const QRect words = item.needsRect.adjusted(6, 3, -6, -3);
  QString text = item.needs;
  const int room = item.needsWrong && item.needsLength ? words.width() * 2 - 60 : words.width() * 2;
  text = painter.fontMetrics().elidedText(text, Qt::ElideRight, room);
  painter.drawText(words, Qt::TextWordWrap | Qt::AlignLeft | Qt::AlignVCenter, text);
  if (!item.needsLength) return;
  painter.setPen(QPen(theme.line, 1));
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(item.lengthRect).adjusted(0.5, 0.5, -0.5, -0.5), 2, 2);
  painter.setPen(theme.ink);
  painter.drawText(item.lengthRect, Qt::AlignCenter, item.length);
}

void ChainRail::drawAdd(QPainter& painter, const RailItem& item, const Theme& theme) const {
  const bool open = bench_.ways().position() == item.position;
  painter.setPen(QPen(theme.planned, &item == current() && hasFocus() ? 3 : 1, Qt::DashLine));
  painter.setBrush(open ? theme.plannedTint : theme.panel);
  painter.drawRoundedRect(QRectF(item.rect).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  painter.setFont(textFont(12, QFont::DemiBold));
  painter.setPen(theme.planned);
  painter.drawText(item.rect.adjusted(10, 0, -6, 0), Qt::AlignVCenter | Qt::AlignLeft, item.title);
}

void ChainRail::drawItem(QPainter& painter, const RailItem& item, const Theme& theme) const {
  if (item.kind == RailItem::Add) return drawAdd(painter, item, theme);
  const bool selected = isShown(item);
  const bool differs = item.state == RailItem::Differs;
  const bool silent = item.state == RailItem::Silent;
  painter.setPen(QPen(differs    ? theme.differs
                      : selected ? theme.planned
                                 : theme.line,
                      selected || differs ? 1.6 : 1,
                      item.state == RailItem::Unknown || silent ? Qt::DashLine : Qt::SolidLine));
  painter.setBrush(selected ? theme.plannedTint : theme.panel);
  painter.drawRoundedRect(QRectF(item.rect).adjusted(0.5, 0.5, -0.5, -0.5), measure::kRadius, measure::kRadius);
  if (over_ && &item == &rail_.items[std::min(*over_, rail_.items.size() - 1)]) {
    painter.setPen(QPen(theme.planned, 2, Qt::DashLine));
    painter.drawRoundedRect(QRectF(item.rect).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  }
  if (&item == current() && hasFocus()) {
    painter.setPen(QPen(theme.planned, 3));
    painter.drawRoundedRect(QRectF(item.rect).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  }
  const QRect inner = item.rect.adjusted(9, 5, -9, -5);
  painter.setFont(textFont(13, QFont::DemiBold));
  painter.setPen(silent ? theme.muted : theme.ink);
  painter.drawText(inner, Qt::AlignTop | Qt::AlignLeft,
                   painter.fontMetrics().elidedText(item.title, Qt::ElideRight, inner.width() - 56));
  painter.setFont(textFont(11));
  painter.setPen(theme.muted);
  painter.drawText(inner.adjusted(0, 2, 0, 0), Qt::AlignTop | Qt::AlignRight, item.right);
  if (item.kind == RailItem::Device) painter.setFont(byteFont(11));
  painter.drawText(inner.adjusted(0, 19, 0, 0), Qt::AlignTop | Qt::AlignLeft, item.detail);
  if (item.expectedId && item.foundId) drawIds(painter, inner, item, theme);
  if (!item.needs.isEmpty()) drawNeeds(painter, item, theme);
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
  if (rail_.items.empty()) return;
  painter.setPen(QPen(theme.faint, 1.6));
  painter.drawLine(kLineX, 8, kLineX, rail_.bottom);
  if (rail_.cutAt) drawCut(painter, theme);
  painter.setPen(QPen(theme.faint, 1.6));
  painter.setFont(textFont(11));
  painter.setPen(theme.muted);
  const bool chain = rail_.items.front().kind == RailItem::Device;
  painter.drawText(QRect(kRailDeviceLeft, 4, 120, 16), Qt::AlignVCenter, chain ? tr("TDI in") : tr("SWD"));
  if (chain) painter.drawText(QRect(kRailDeviceLeft, rail_.bottom - 8, 120, 16), Qt::AlignVCenter, tr("TDO out"));
  for (const RailItem& item : rail_.items) {
    if (item.kind == RailItem::Device || item.kind == RailItem::Core) {
      const bool wrong = item.state == RailItem::Differs, silent = item.state == RailItem::Silent;
      painter.setPen(QPen(wrong    ? theme.differs
                          : silent ? theme.faint
                                   : theme.planned,
                          1.8,
                          silent                  ? Qt::DotLine
                          : !item.needs.isEmpty() ? Qt::DashLine
                                                  : Qt::SolidLine));
      painter.setBrush(theme.paper);
      const QPointF center(kLineX, item.rect.top() + 18);
      painter.drawEllipse(center, 8, 8);
      painter.setFont(textFont(10, QFont::DemiBold));
      painter.drawText(QRectF(center.x() - 8, center.y() - 8, 16, 16), Qt::AlignCenter,
                       wrong                         ? QStringLiteral("!")
                       : item.kind == RailItem::Core ? QStringLiteral("C")
                                                     : QString::number(item.position));
    } else {
      painter.setPen(QPen(theme.faint, 1.2));
      painter.drawLine(kRailDeviceLeft + 4, item.rect.top() - 5, kRailDeviceLeft + 4, item.rect.top() + 18);
      painter.drawLine(kRailDeviceLeft + 4, item.rect.top() + 18, item.rect.left(), item.rect.top() + 18);
    }
    drawItem(painter, item, theme);
  }
}

void ChainRail::moveTo(std::size_t index) {
  current_ = index;
  const RailItem item = rail_.items[index];  // the rail is laid out anew when another is selected
  if (item.kind == RailItem::Memory) {
    bench_.selectMemory(item.memory);
  } else if (item.kind == RailItem::Device && item.position <= bench_.document().sheet().chain.size()) {
    if (bench_.ways().position() != item.position) bench_.ways().end();
    bench_.selectDevice(item.position);
  }
  // What can be added stands only below the device that is looked at.
  for (std::size_t i = 0; i < rail_.items.size(); ++i) {
    if (rail_.items[i].isSame(item)) current_ = i;
  }
  currentChanged();
  update();
}

void ChainRail::dragEnterEvent(QDragEnterEvent* event) {
  const auto urls = event->mimeData()->urls();
  const bool file = urls.size() == 1 && urls.front().isLocalFile() && QFileInfo(urls.front().toLocalFile()).isFile();
  if ((file || event->mimeData()->hasFormat(kMemoryMime)) && !bench_.run().isRunning()) event->acceptProposedAction();
}

/// The part or memory that the file would go into is where the keys are; a memory goes behind a part with pins.
void ChainRail::dragMoveEvent(QDragMoveEvent* event) {
  const RailItem* item = rail_.at(event->position().toPoint());
  if (item != nullptr && event->mimeData()->hasFormat(kMemoryMime) && !hasPins(*item)) item = nullptr;
  over_ = item == nullptr ? std::nullopt : std::optional(static_cast<std::size_t>(item - rail_.items.data()));
  event->setAccepted(over_.has_value());
  update();
}

bool ChainRail::hasPins(const RailItem& item) const {
  const auto& chain = bench_.document().sheet().chain;
  return item.kind == RailItem::Device && item.position <= chain.size() && chain[item.position - 1].description &&
         !chain[item.position - 1].description->cells.empty();
}

void ChainRail::dragLeaveEvent(QDragLeaveEvent*) {
  over_.reset();
  update();
}

void ChainRail::dropEvent(QDropEvent* event) {
  over_.reset();
  const RailItem* item = rail_.at(event->position().toPoint());
  if (item == nullptr) return;
  const RailItem target = *item;
  if (event->mimeData()->hasFormat(kMemoryMime)) {
    if (!hasPins(target)) return;
    event->acceptProposedAction();
    emit bench_.wiresWanted(QString::fromUtf8(event->mimeData()->data(kMemoryMime)), target.position);
    return;
  }
  const QString file = event->mimeData()->urls().front().toLocalFile();
  if (target.kind != RailItem::Memory && LibraryModel::accepts(file)) {
    describeBy(target.position, file);
  } else if (target.kind == RailItem::Memory) {
    bench_.selectMemory(target.memory);
    bench_.addFile(file);
  } else if (target.kind == RailItem::Device && target.position <= bench_.document().sheet().chain.size()) {
    bench_.fileForDevice(target.position, file);
  }
  event->acceptProposedAction();
  update();
}

void ChainRail::mousePressEvent(QMouseEvent* event) {
  const RailItem* item = rail_.at(event->pos());
  pressedAt_.reset();
  if (item == nullptr) return;
  if (item->kind == RailItem::Memory && event->button() == Qt::LeftButton) pressedAt_ = event->pos();
  const RailItem clicked = *item;
  moveTo(static_cast<std::size_t>(item - rail_.items.data()));
  if (event->button() != Qt::LeftButton || bench_.run().isRunning()) return;
  if (clicked.kind == RailItem::Add) return bench_.ways().begin(clicked.position);
  if (clicked.lengthRect.contains(event->pos())) return typeLength(clicked, clicked.length);
  if (clicked.needsRect.contains(event->pos())) openMenu(clicked, mapToGlobal(clicked.needsRect.bottomLeft()));
}

void ChainRail::mouseDoubleClickEvent(QMouseEvent* event) {
  const RailItem* item = rail_.at(event->pos());
  if (item != nullptr && titleRect(*item).contains(event->pos())) rename(*item);
}

/// A memory is dragged onto the part whose pins lead to it.
void ChainRail::mouseMoveEvent(QMouseEvent* event) {
  if (!pressedAt_ || (event->buttons() & Qt::LeftButton) == 0 ||
      (event->pos() - *pressedAt_).manhattanLength() < QApplication::startDragDistance())
    return;
  const RailItem* item = rail_.at(*pressedAt_);
  pressedAt_.reset();
  if (item == nullptr || item->kind != RailItem::Memory) return;
  auto* drag = new QDrag(this);
  auto* what = new QMimeData;
  what->setData(kMemoryMime, QByteArray::fromStdString(item->memory));
  drag->setMimeData(what);
  drag->exec(Qt::LinkAction, Qt::LinkAction);
}

void ChainRail::contextMenuEvent(QContextMenuEvent* event) {
  const RailItem* item = event->reason() == QContextMenuEvent::Keyboard ? current() : rail_.at(event->pos());
  if (item == nullptr || item->kind == RailItem::Add) return;
  openMenu(*item,
           event->reason() == QContextMenuEvent::Keyboard ? mapToGlobal(item->rect.bottomLeft()) : event->globalPos());
}

void ChainRail::keyPressEvent(QKeyEvent* event) {
  const RailItem* item = current();
  if (item != nullptr && !bench_.run().isRunning()) {
    const bool alt = event->modifiers().testFlag(Qt::AltModifier);
    if (alt && event->key() == Qt::Key_Down) return moveDevice(*item, 1);
    if (alt && event->key() == Qt::Key_Up) return moveDevice(*item, -1);
    if (event->key() == Qt::Key_F2) return rename(*item);
    if (event->key() == Qt::Key_Delete) return remove(*item);
    if (item->needsLength && !event->text().isEmpty() && event->text().front().isDigit())
      return typeLength(*item, event->text());
    if (item->kind == RailItem::Add && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter))
      return bench_.ways().begin(item->position);
  }
  if (item != nullptr && event->key() == Qt::Key_Down && current_ + 1 < rail_.items.size()) return moveTo(current_ + 1);
  if (item != nullptr && event->key() == Qt::Key_Up && current_ > 0) return moveTo(current_ - 1);
  const bool enter = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Menu;
  if (enter && item != nullptr && item->kind != RailItem::Add)
    return openMenu(*item, mapToGlobal(item->rect.bottomLeft()));
  QWidget::keyPressEvent(event);
}

QString ChainRail::explain(const RailItem& item) const {
  const auto& report = bench_.link().report();
  if (!report) return {};
  if (item.kind == RailItem::Memory) {
    return report->memoryErrors.contains(item.memory) ? report->memoryErrors.at(item.memory) : QString();
  }
  if (report->broken) return sentence(QString::fromStdString(report->broken->what()));
  if (item.position > report->rows.size()) return {};
  const jtag::DeviceComparison& row = report->rows[item.position - 1];
  QString text =
      tr("expected: %1\nfound: %2").arg(QString::fromStdString(row.expected), QString::fromStdString(row.found));
  if (row.foundId) text += "\n" + QString::fromStdString(jtag::fieldsText(*row.foundId));
  const auto& chain = bench_.document().sheet().chain;
  if (item.position <= chain.size() && chain[item.position - 1].description) {
    const bsdl::BoundaryDescription& d = *chain[item.position - 1].description;
    if (!d.designWarning.empty()) text += "\n" + tr("its maker warns: %1").arg(QString::fromStdString(d.designWarning));
    for (const std::string& w : d.warnings) text += "\n" + QString::fromStdString(w);
  }
  if (item.position <= report->chain.devices.size()) {
    for (const std::string& remark : report->chain.devices[item.position - 1].remarks)
      text += "\n" + QString::fromStdString(remark);
  }
  return text;
}

bool ChainRail::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(event);
    const RailItem* item = rail_.at(help->pos());
    QToolTip::showText(help->globalPos(), item != nullptr ? explain(*item) : QString(), this);
    return true;
  }
  return QWidget::event(event);
}

}  // namespace imprimo::app
