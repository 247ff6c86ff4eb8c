// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/sheet/sheet_page.h"

#include <QFontMetrics>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

namespace imprimo::app {
namespace {

QFont labelFont() {
  return textFont(12);
}

/// Names stand out; what is typed into files stands in the letters of files.
QFont valueFont(const PageToken& token) {
  if (token.title) return textFont(14, QFont::DemiBold);
  if (token.kind == PageToken::AddEntry || token.kind == PageToken::AddKey) return textFont(12, QFont::DemiBold);
  return byteFont(12);
}

}  // namespace

SheetPage::SheetPage(Workbench& bench, SheetDraft& draft, QWidget* parent)
    : QWidget(parent), bench_(bench), draft_(draft) {
  setObjectName("sheetPage");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("The sheet, value by value"));
  setMouseTracking(true);
  speaksFor(this);
  line_ = new QLineEdit(this);
  line_->setObjectName("sheetLine");
  line_->setFont(byteFont(12));
  line_->installEventFilter(this);
  line_->hide();
  connect(&draft_, &SheetDraft::changed, this, &SheetPage::rebuild);
  rebuild();
}

const PageToken* SheetPage::current() const {
  const auto tokens = page_.tokens();
  return current_ < tokens.size() ? tokens[current_] : nullptr;
}

void SheetPage::rebuild() {
  const std::optional<sheet::Place> was = current() != nullptr ? std::optional(current()->place) : std::nullopt;
  const bool wasAdd =
      current() != nullptr && (current()->kind == PageToken::AddKey || current()->kind == PageToken::AddEntry);
  page_ = pageOf(draft_.root(), draft_.trouble());
  place();
  if (was) {
    const std::size_t before = current_;
    if (!goTo(*was, wasAdd)) setCurrent(std::min(before, page_.tokens().empty() ? 0 : page_.tokens().size() - 1));
  }
  update();
}

void SheetPage::place() {
  const QFontMetrics labels(labelFont()), values(byteFont(12)), titles(textFont(14, QFont::DemiBold));
  layOut(page_, std::max(width(), 400), [&](const QString& text, bool value) {
    return value ? std::max(values.horizontalAdvance(text), titles.horizontalAdvance(text)) + 2
                 : labels.horizontalAdvance(text);
  });
  setMinimumHeight(page_.height);
}

void SheetPage::resizeEvent(QResizeEvent*) {
  place();
}

void SheetPage::setCurrent(std::size_t index) {
  current_ = index;
  if (const PageToken* token = current()) {
    currentChanged();
    emit reached(token->rect);
  }
  update();
}

bool SheetPage::goTo(const sheet::Place& place, bool add) {
  const auto tokens = page_.tokens();
  for (std::size_t i = 0; i < tokens.size(); ++i) {
    const bool adds = tokens[i]->kind == PageToken::AddKey || tokens[i]->kind == PageToken::AddEntry;
    if (tokens[i]->place == place && adds == add) {
      setCurrent(i);
      return true;
    }
  }
  return false;
}

void SheetPage::drawToken(QPainter& painter, const PageToken& token, const Theme& theme) const {
  const bool here = &token == current();
  const bool adds = token.kind == PageToken::AddKey || token.kind == PageToken::AddEntry;
  const bool wrong = !token.trouble.isEmpty() || token.kind == PageToken::Missing;
  if (here) {
    painter.setPen(hasFocus() ? QPen(theme.planned, 1.6) : Qt::NoPen);
    painter.setBrush(theme.plannedTint);
    painter.drawRoundedRect(QRectF(token.rect).adjusted(-4, 0.5, 4, -0.5), 3, 3);
  }
  painter.setFont(labelFont());
  painter.setPen(adds ? theme.planned : theme.muted);
  int x = token.rect.left();
  const auto write = [&](const QString& text, const QColor& colour, const QFont& font) {
    painter.setFont(font);
    painter.setPen(colour);
    const int room = token.rect.right() - x;
    const QString fitting = painter.fontMetrics().elidedText(text, Qt::ElideRight, room);
    painter.drawText(QRect(x, token.rect.top(), room, token.rect.height()), Qt::AlignVCenter, fitting);
    x += painter.fontMetrics().horizontalAdvance(fitting);
  };
  if (!token.title) {
    write(token.label, adds ? theme.planned : theme.muted, labelFont());
    x += 6;
  }
  const int begin = x;
  const QColor ink = adds                               ? theme.planned
                     : wrong                            ? theme.differs
                     : token.kind == PageToken::Foreign ? theme.muted
                                                        : theme.ink;
  write(token.value, ink, valueFont(token));
  if (wrong && !adds) {
    painter.setPen(QPen(theme.differs, 1, Qt::DashLine));
    painter.drawLine(begin, token.rect.bottom() - 1, x, token.rect.bottom() - 1);
  }
  if (!token.trouble.isEmpty()) write("  ✕ " + token.trouble, theme.differs, labelFont());
}

void SheetPage::paintEvent(QPaintEvent* event) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& theme = Theme::current();
  painter.fillRect(event->rect(), theme.panel);
  for (const PageBlock& block : page_.blocks) {
    if (!block.rect.adjusted(-20, -10, 20, 10).intersects(event->rect())) continue;
    if (!block.heading.isEmpty()) {
      painter.setFont(textFont(13, QFont::DemiBold));
      painter.setPen(theme.planned);
      painter.drawText(block.rect.adjusted(0, 0, 0, -6), Qt::AlignBottom | Qt::AlignLeft, sentence(block.heading));
      painter.setPen(theme.line);
      painter.drawLine(block.rect.bottomLeft() - QPoint(0, 2), block.rect.bottomRight() - QPoint(0, 2));
      continue;
    }
    for (const PageToken& token : block.tokens) drawToken(painter, token, theme);
  }
}

void SheetPage::mousePressEvent(QMouseEvent* event) {
  finishEdit(true);
  const PageToken* token = page_.at(event->pos());
  if (token == nullptr) return;
  const auto tokens = page_.tokens();
  setCurrent(static_cast<std::size_t>(std::find(tokens.begin(), tokens.end(), token) - tokens.begin()));
  if (event->button() == Qt::LeftButton) act();
}

void SheetPage::walk(int by) {
  const std::size_t count = page_.tokens().size();
  const std::size_t next = current_ + static_cast<std::size_t>(by);
  if (next < count) setCurrent(next);
}

/// The nearest of the next line up or down.
void SheetPage::walkLine(int by) {
  const auto tokens = page_.tokens();
  const PageToken* from = current();
  if (from == nullptr) return;
  std::optional<std::size_t> best;
  int bestLine = 0, bestAside = 0;
  for (std::size_t i = 0; i < tokens.size(); ++i) {
    const int line = (tokens[i]->rect.top() - from->rect.top()) * by;
    if (line <= 0) continue;
    const int aside = std::abs(tokens[i]->rect.left() - from->rect.left());
    if (!best || line < bestLine || (line == bestLine && aside < bestAside)) {
      best = i;
      bestLine = line;
      bestAside = aside;
    }
  }
  if (best) setCurrent(*best);
}

void SheetPage::keyPressEvent(QKeyEvent* event) {
  const bool alt = event->modifiers().testFlag(Qt::AltModifier);
  switch (event->key()) {
    case Qt::Key_Left:
      return walk(-1);
    case Qt::Key_Right:
      return walk(1);
    case Qt::Key_Up:
      return alt ? moveEntry(-1) : walkLine(-1);
    case Qt::Key_Down:
      return alt ? moveEntry(1) : walkLine(1);
    case Qt::Key_Home:
      return setCurrent(0);
    case Qt::Key_End:
      return setCurrent(page_.tokens().empty() ? 0 : page_.tokens().size() - 1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
    case Qt::Key_F2:
      return act();
    case Qt::Key_Delete:
      return remove();
    case Qt::Key_Escape:
      if (draft_.isPending()) return draft_.drop();
      emit left();
      return;
    default:
      QWidget::keyPressEvent(event);
  }
}

bool SheetPage::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(event);
    const PageToken* token = page_.at(help->pos());
    QToolTip::showText(help->globalPos(),
                       token == nullptr ? QString()
                                        : QString::fromStdString(token->place.text()) +
                                              (token->trouble.isEmpty() ? "" : "\n" + token->trouble),
                       this);
    return true;
  }
  return QWidget::event(event);
}

}  // namespace imprimo::app
