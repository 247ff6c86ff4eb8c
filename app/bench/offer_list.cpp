// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/offer_list.h"

#include <QKeyEvent>
#include <QPainter>
#include <algorithm>

namespace imprimo::app {
namespace {

constexpr int kCard = 66, kAnswer = 20, kGap = 10;

using State = WayModel::Offer::State;

/// A sign, a word and a colour: not told by colour alone.
struct OfferVerdict {
  QString words;
  const char* role;
};

OfferVerdict verdictOf(State state) {
  switch (state) {
    case State::Asking:
      return {WayModel::tr("… asking"), "muted"};
    case State::Answers:
      return {WayModel::tr("● answers"), "agrees"};
    case State::NeedsLoading:
      return {WayModel::tr("◐ no bridge yet"), "planned"};
    case State::Silent:
      return {WayModel::tr("✕ does not answer"), "differs"};
    case State::NotAsked:
      break;
  }
  return {WayModel::tr("○ not asked"), "muted"};
}

QColor colourOf(const char* role, const Theme& theme) {
  const QLatin1String word(role);
  return word == QLatin1String("agrees")    ? theme.agrees
         : word == QLatin1String("planned") ? theme.planned
         : word == QLatin1String("differs") ? theme.differs
                                            : theme.muted;
}

}  // namespace

std::optional<std::size_t> OfferLayout::at(QPoint point) const {
  for (std::size_t i = 0; i < cards.size(); ++i) {
    if (cards[i].rect.contains(point)) return i;
  }
  return std::nullopt;
}

OfferLayout layOutOffers(const WayModel& ways, int width) {
  OfferLayout layout;
  int top = 0;
  for (const WayModel::Offer& offer : ways.offers()) {
    const int height =
        kCard + (offer.words.isEmpty() ? 0 : kAnswer) + (offer.state == State::NeedsLoading ? kAnswer : 0);
    OfferLayout::Card card{QRect(0, top, width, height), {}};
    const bool again = offer.state == State::Silent || offer.state == State::NotAsked;
    if (again && !offer.way.memory.empty()) card.ask = QRect(width - 60, top + 34, 46, 20);
    layout.cards.push_back(card);
    top += height + kGap;
  }
  layout.bottom = top;
  return layout;
}

OfferList::OfferList(WayModel& ways, QWidget* parent) : QWidget(parent), ways_(ways) {
  setObjectName("offers");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Ways to a memory"));
  speaksFor(this);
  connect(&ways_, &WayModel::changed, this, &OfferList::rebuild);
  rebuild();
}

void OfferList::rebuild() {
  const int before = layout_.bottom;
  layout_ = layOutOffers(ways_, width());
  currentChanged();
  if (before != layout_.bottom) updateGeometry();
  update();
}

int OfferList::spokenCount() const {
  return static_cast<int>(std::min(layout_.cards.size(), ways_.offers().size()));
}

SpokenItem OfferList::spokenItem(int index) const {
  const auto at = static_cast<std::size_t>(index);
  const WayModel::Offer& offer = ways_.offers()[at];
  SpokenItem item;
  item.name = QString::fromStdString(offer.way.title);
  QStringList says{verdictOf(offer.state).words.mid(2), QString::fromStdString(offer.way.words)};
  if (!offer.words.isEmpty()) says += offer.words;
  item.value = says.join(", ");
  item.rect = layout_.cards[at].rect;
  item.isSelected = at == ways_.chosen();
  item.canBePressed = true;
  return item;
}

int OfferList::spokenCurrent() const {
  return ways_.offers().empty() ? -1 : static_cast<int>(ways_.chosen());
}

void OfferList::spokenPress(int index) {
  ways_.choose(static_cast<std::size_t>(index));
}

void OfferList::resizeEvent(QResizeEvent*) {
  layout_ = layOutOffers(ways_, width());
}

void OfferList::draw(QPainter& painter, std::size_t index, const Theme& theme) const {
  const WayModel::Offer& offer = ways_.offers()[index];
  const OfferLayout::Card& card = layout_.cards[index];
  const bool chosen = index == ways_.chosen();
  painter.setPen(QPen(chosen ? theme.planned : theme.line, chosen ? (hasFocus() ? 2.6 : 1.6) : 1));
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(card.rect).adjusted(1.5, 1.5, -1.5, -1.5), measure::kRadius, measure::kRadius);
  const QRect inner = card.rect.adjusted(18, 10, -16, -8);
  painter.setFont(textFont(14, QFont::DemiBold));
  painter.setPen(theme.ink);
  painter.drawText(inner, Qt::AlignTop | Qt::AlignLeft, QString::fromStdString(offer.way.title));
  if (!offer.way.memory.empty()) {
    const OfferVerdict verdict = verdictOf(offer.state);
    painter.setFont(textFont(12));
    painter.setPen(colourOf(verdict.role, theme));
    painter.drawText(inner, Qt::AlignTop | Qt::AlignRight, verdict.words);
  }
  painter.setFont(textFont(12));
  painter.setPen(theme.muted);
  const int room = inner.width() - (card.ask.isEmpty() ? 0 : 60);
  painter.drawText(QRect(inner.left(), inner.top() + 24, room, 18), Qt::AlignVCenter | Qt::AlignLeft,
                   painter.fontMetrics().elidedText(QString::fromStdString(offer.way.words), Qt::ElideRight, room));
  if (!card.ask.isEmpty()) {
    painter.setPen(theme.planned);
    painter.drawText(card.ask, Qt::AlignVCenter | Qt::AlignRight,
                     offer.state == State::NotAsked ? tr("ask it") : tr("again"));
  }
  int y = inner.top() + 44;
  if (!offer.words.isEmpty()) {
    painter.setPen(colourOf(verdictOf(offer.state).role, theme));
    painter.drawText(QRect(inner.left(), y, inner.width(), 18), Qt::AlignVCenter | Qt::AlignLeft,
                     painter.fontMetrics().elidedText(sentence(offer.words), Qt::ElideRight, inner.width()));
    y += kAnswer;
  }
  if (offer.state == State::NeedsLoading) {
    painter.setPen(theme.muted);
    painter.drawText(
        QRect(inner.left(), y, inner.width(), 18), Qt::AlignVCenter | Qt::AlignLeft,
        tr("Add it, and its image can be loaded: the design that runs in %1 stops then.").arg(ways_.deviceName()));
  }
}

void OfferList::paintEvent(QPaintEvent* event) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  for (std::size_t i = 0; i < layout_.cards.size() && i < ways_.offers().size(); ++i) {
    if (layout_.cards[i].rect.intersects(event->rect())) draw(painter, i, Theme::current());
  }
}

void OfferList::mousePressEvent(QMouseEvent* event) {
  const auto index = layout_.at(event->pos());
  if (!index) return;
  const bool asks = layout_.cards[*index].ask.contains(event->pos());
  ways_.choose(*index);
  if (asks) ways_.ask(*index);
}

void OfferList::mouseDoubleClickEvent(QMouseEvent* event) {
  if (layout_.at(event->pos())) ways_.go();
}

void OfferList::keyPressEvent(QKeyEvent* event) {
  const std::size_t count = ways_.offers().size();
  if (event->key() == Qt::Key_Escape) return ways_.end();
  if (count == 0) return QWidget::keyPressEvent(event);
  if (event->key() == Qt::Key_Down && ways_.chosen() + 1 < count) return ways_.choose(ways_.chosen() + 1);
  if (event->key() == Qt::Key_Up && ways_.chosen() > 0) return ways_.choose(ways_.chosen() - 1);
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) return ways_.go();
  if (event->key() == Qt::Key_A) return ways_.ask(ways_.chosen());
  QWidget::keyPressEvent(event);
}

}  // namespace imprimo::app
