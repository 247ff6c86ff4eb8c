// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/mismatch_panel.h"

#include <QPainter>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kLeft = 92, kRight = 16, kCell = 15, kRow = 22, kBitsTop = 44, kDevicesTop = kBitsTop + 3 * kRow + 10;

}  // namespace

MismatchWindow MismatchWindow::around(const svf::Mismatch& m, int most) {
  const auto wanted = static_cast<std::size_t>(std::max(8, most));
  MismatchWindow w;
  w.count = std::min(wanted, m.expected.size());
  // The bit that differs stands in the middle, as far as there are bits around it.
  const std::size_t end = m.from + m.expected.size();
  std::size_t low = m.first > w.count / 2 ? m.first - w.count / 2 : 0;
  low = std::clamp(low, m.from, end - w.count);
  w.high = low + w.count;
  return w;
}

MismatchPanel::MismatchPanel(VectorDocument& document, QWidget* parent) : QWidget(parent), document_(document) {
  setObjectName("mismatchPanel");
  setAccessibleName(tr("What differs"));
  speaksFor(this);
  connect(&document, &VectorDocument::playChanged, this, [this] {
    setVisible(document_.playing().mismatch().has_value());
    setAccessibleDescription(text());
    update();
  });
  setVisible(false);
}

void MismatchPanel::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  draw(painter, Theme::current());
}

void MismatchPanel::draw(QPainter& painter, const Theme& theme) const {
  if (!document_.playing().mismatch()) return;
  const svf::Mismatch& m = *document_.playing().mismatch();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(theme.line, 1));
  painter.setBrush(theme.paper);
  painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), measure::kRadius, measure::kRadius);
  painter.setFont(textFont(14, QFont::DemiBold));
  painter.setPen(theme.ink);
  painter.drawText(QRect(14, 8, width() - 28, 22), Qt::AlignVCenter, tr("What differs"));
  painter.setFont(textFont(12));
  painter.setPen(theme.muted);
  painter.drawText(QRect(130, 8, width() - 146, 22), Qt::AlignRight | Qt::AlignVCenter,
                   m.pin.empty() ? tr("%1 of %2; %3 before this one held")
                                       .arg(m.differing)
                                       .arg(QString::fromStdString(countText(m.compared, "compared bit")),
                                            QString::fromStdString(countText(m.comparesBefore, "comparison")))
                                 : QString());
  if (m.pin.empty()) drawBits(painter, theme, m);
  const vectors::MismatchStory& story = document_.playing().story();
  QString words = QString::fromStdString(story.doing);
  if (!story.hint.empty()) words += (words.isEmpty() ? "" : ". ") + QString::fromStdString(story.hint);
  if (!m.pin.empty()) words = QString::fromStdString(m.text());
  painter.setFont(textFont(12));
  painter.setPen(theme.ink);
  painter.drawText(QRect(14, height() - 44, width() - 28, 38), Qt::AlignVCenter | Qt::TextWordWrap, sentence(words));
}

void MismatchPanel::drawBits(QPainter& painter, const Theme& theme, const svf::Mismatch& m) const {
  const MismatchWindow window = shownBits(m);
  const int left = kLeft + (width() - kLeft - kRight - static_cast<int>(window.count) * kCell) / 2;
  const QString names[] = {tr("expected"), tr("found"), tr("compared")};
  painter.setFont(textFont(12));
  painter.setPen(theme.muted);
  for (int row = 0; row < 3; ++row)
    painter.drawText(QRect(8, kBitsTop + row * kRow, kLeft - 20, kRow), Qt::AlignRight | Qt::AlignVCenter, names[row]);
  painter.setFont(byteFont(13));
  for (std::size_t c = 0; c < window.count; ++c) {
    const std::size_t bit = window.bitAt(c) - m.from;
    const bool compared = m.mask[bit], differs = compared && m.expected[bit] != m.found[bit];
    for (int row = 0; row < 3; ++row) {
      const QRect cell(left + static_cast<int>(c) * kCell, kBitsTop + row * kRow, kCell, kRow);
      const bool value = row == 0 ? m.expected[bit] : row == 1 ? m.found[bit] : m.mask[bit];
      if (differs && row < 2) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(row == 0 ? theme.plannedTint : theme.differsTint);
        painter.drawRoundedRect(QRectF(cell).adjusted(0, 2, 0, -2), 3, 3);
      }
      painter.setPen(!compared              ? theme.dots
                     : !differs || row == 2 ? theme.ink
                     : row == 0             ? theme.planned
                                            : theme.differs);
      painter.drawText(cell, Qt::AlignCenter, compared ? (value ? "1" : "0") : "·");
    }
  }
  drawDevices(painter, theme, m, window);
}

QString MismatchPanel::deviceOf(const svf::Mismatch& m, std::size_t bit) const {
  svf::ChainView chain = document_.chain();
  if (document_.playing().story().device && !chain.devices().empty()) {
    // Where one part is spoken to: those behind it go first, those in front of it last.
    const std::size_t target = *document_.playing().story().device, devices = chain.devices().size();
    if (m.into == jtag::Register::Data && m.header > 0 && m.header == devices - 1 - target) {
      if (bit < m.header) return QString::fromStdString(chain.devices()[devices - 1 - bit].name);
      if (bit >= m.header + m.length && m.total - 1 - bit < devices)
        return QString::fromStdString(chain.devices()[m.total - 1 - bit].name);
      return QString::fromStdString(document_.playing().story().deviceName);
    }
  }
  if (m.into == jtag::Register::Instruction) {
    const auto device = chain.deviceOfInstructionBit(bit);
    return device ? QString::fromStdString(chain.devices()[*device].name) : QString();
  }
  if (!m.instructed) {
    const auto device = chain.deviceOfDataBit(bit, m.total);
    return device ? QString::fromStdString(chain.devices()[*device].name) : QString();
  }
  if (bit < m.header) return tr("behind");
  if (bit >= m.header + m.length) return tr("in front");
  return QString::fromStdString(document_.playing().story().deviceName);
}

void MismatchPanel::drawDevices(QPainter& painter, const Theme& theme, const svf::Mismatch& m,
                                const MismatchWindow& window) const {
  const int left = kLeft + (width() - kLeft - kRight - static_cast<int>(window.count) * kCell) / 2;
  const QString hit = deviceOf(m, m.first);
  for (std::size_t c = 0; c < window.count;) {
    const QString name = deviceOf(m, window.bitAt(c));
    std::size_t end = c + 1;
    while (end < window.count && deviceOf(m, window.bitAt(end)) == name) ++end;
    if (!name.isEmpty()) {
      const bool here = name == hit;
      const int from = left + static_cast<int>(c) * kCell + 1, to = left + static_cast<int>(end) * kCell - 1;
      painter.setPen(QPen(here ? theme.planned : theme.faint, 2));
      painter.drawLine(from, kDevicesTop, to, kDevicesTop);
      painter.setFont(textFont(11, here ? QFont::DemiBold : QFont::Normal));
      painter.setPen(here ? theme.planned : theme.muted);
      const QFontMetrics metrics(painter.font());
      const int room = std::max(to - from, here ? 120 : 0);
      if (metrics.horizontalAdvance(name) <= room || here) {
        painter.drawText(QRect((from + to - room) / 2, kDevicesTop + 3, room, 16), Qt::AlignCenter,
                         metrics.elidedText(name, Qt::ElideRight, room));
      }
    }
    c = end;
  }
  painter.setFont(textFont(11));
  painter.setPen(theme.muted);
  painter.drawText(QRect(8, kDevicesTop + 3, kLeft - 20, 16), Qt::AlignRight | Qt::AlignVCenter,
                   QString("%1–%2").arg(window.high - 1).arg(window.high - window.count));
}

MismatchWindow MismatchPanel::shownBits(const svf::Mismatch& m) const {
  return MismatchWindow::around(m, (width() - kLeft - kRight) / kCell);
}

/// The story, then each bit that is shown.
int MismatchPanel::spokenCount() const {
  const auto& m = document_.playing().mismatch();
  if (!m) return 0;
  return 1 + (m->pin.empty() ? static_cast<int>(shownBits(*m).count) : 0);
}

SpokenItem MismatchPanel::spokenItem(int index) const {
  const svf::Mismatch& m = *document_.playing().mismatch();
  SpokenItem item;
  item.role = QAccessible::StaticText;
  if (index == 0) {
    item.name = QString::fromStdString(m.text());
    item.value = QString::fromStdString(document_.playing().story().doing);
    item.rect = QRect(14, height() - 44, width() - 28, 38);
    return item;
  }
  const MismatchWindow window = shownBits(m);
  const auto column = static_cast<std::size_t>(index) - 1;
  const std::size_t bit = window.bitAt(column), at = bit - m.from;
  const QString device = deviceOf(m, bit);
  item.name = tr("Bit %1").arg(bit) + (device.isEmpty() ? QString() : tr(" of %1").arg(device));
  item.value =
      !m.mask[at] ? tr("not compared") : tr("expected %1, found %2").arg(int{m.expected[at]}).arg(int{m.found[at]});
  if (m.mask[at] && m.expected[at] != m.found[at]) item.value += tr(", differs");
  const int left = kLeft + (width() - kLeft - kRight - static_cast<int>(window.count) * kCell) / 2;
  item.rect = QRect(left + static_cast<int>(column) * kCell, kBitsTop, kCell, 3 * kRow);
  return item;
}

QString MismatchPanel::text() const {
  if (!document_.playing().mismatch()) return {};
  const svf::Mismatch& m = *document_.playing().mismatch();
  const vectors::MismatchStory& story = document_.playing().story();
  QString text = tr("%1, line %2, column %3\n%4\n")
                     .arg(document_.title())
                     .arg(m.place.line)
                     .arg(m.place.column)
                     .arg(QString::fromStdString(m.text()));
  if (m.pin.empty()) {
    text += tr("expected %1\nfound    %2\nmask     %3\n")
                .arg(QString::fromStdString(m.expected.digits()), QString::fromStdString(m.found.digits()),
                     QString::fromStdString(m.mask.digits()));
  }
  if (!story.deviceName.empty()) text += tr("part: %1\n").arg(QString::fromStdString(story.deviceName));
  if (!story.doing.empty()) text += QString::fromStdString(story.doing) + "\n";
  if (!m.comment.text.empty())
    text += tr("last comment, line %1: %2\n").arg(m.comment.place.line).arg(QString::fromStdString(m.comment.text));
  return text + tr("%1 before it held\n").arg(QString::fromStdString(countText(m.comparesBefore, "comparison")));
}

}  // namespace imprimo::app
