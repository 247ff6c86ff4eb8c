// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/answer_card.h"

#include <QAccessible>
#include <QGridLayout>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/look/small_widgets.h"
#include "app/look/theme_notice.h"

namespace imprimo::app {
namespace {

QColor colorOf(LineAnswer::Kind kind) {
  const Theme& theme = Theme::current();
  switch (kind) {
    case LineAnswer::Kind::Good:
      return theme.agrees;
    case LineAnswer::Kind::Failed:
      return theme.differs;
    case LineAnswer::Kind::Halt:
      return theme.erasing;
    case LineAnswer::Kind::Busy:
      return theme.planned;
    default:
      return theme.muted;
  }
}

QLabel* words(QWidget* parent, const char* name) {
  auto* label = new QLabel(parent);
  label->setObjectName(name);
  label->setWordWrap(true);
  label->setMinimumWidth(1);  // the card decides how wide it is
  label->setTextFormat(Qt::PlainText);
  return label;
}

constexpr int kWide = 620;  // a card this wide has its sign beside the word

}  // namespace

AnswerSign::AnswerSign(QWidget* parent) : QWidget(parent) {
  setAttribute(Qt::WA_TransparentForMouseEvents);
}

void AnswerSign::show(LineAnswer::Kind kind, double part) {
  if (kind == kind_ && part == part_) return;
  kind_ = kind;
  part_ = part;
  update();
}

/// Each has an outline of its own: a disc, a square, a rhomb, rings, bars.
void AnswerSign::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const double side = std::min(width(), height()) * 0.96, stroke = side / 9;
  const QRectF box(QPointF(width() - side, height() - side) / 2, QSizeF(side, side));
  const QColor color = colorOf(kind_);
  const auto at = [&](double x, double y) { return QPointF(box.left() + x * side, box.top() + y * side); };
  const QPen thick(color, stroke, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin);
  painter.setPen(thick);
  const QRectF inner = box.adjusted(stroke / 2, stroke / 2, -stroke / 2, -stroke / 2);
  switch (kind_) {
    case LineAnswer::Kind::Good:
      painter.setPen(Qt::NoPen);
      painter.setBrush(color);
      painter.drawEllipse(box);
      painter.setBrush(Qt::NoBrush);
      painter.setPen(QPen(Theme::current().panel, stroke, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
      painter.drawPolyline(QPolygonF{at(0.27, 0.52), at(0.44, 0.69), at(0.74, 0.34)});
      break;
    case LineAnswer::Kind::Failed:
      painter.drawRect(inner);
      painter.drawLine(at(0.29, 0.29), at(0.71, 0.71));
      painter.drawLine(at(0.71, 0.29), at(0.29, 0.71));
      break;
    case LineAnswer::Kind::Halt:
      painter.drawPolygon(QPolygonF{at(0.5, 0.07), at(0.93, 0.5), at(0.5, 0.93), at(0.07, 0.5)});
      painter.drawLine(at(0.5, 0.28), at(0.5, 0.56));
      painter.drawLine(at(0.5, 0.63), at(0.5, 0.72));
      break;
    case LineAnswer::Kind::Busy: {
      QColor rest = color;
      rest.setAlphaF(0.2F);
      painter.setPen(QPen(rest, stroke, Qt::SolidLine, Qt::FlatCap));
      painter.drawEllipse(inner);
      painter.setPen(QPen(color, stroke, Qt::SolidLine, Qt::FlatCap));
      painter.drawArc(inner, 90 * 16, -static_cast<int>(360 * 16 * std::clamp(part_, 0.0, 1.0)));
      break;
    }
    case LineAnswer::Kind::Scan:
      for (const double x : {0.12, 0.30, 0.42, 0.60, 0.84}) painter.drawLine(at(x, 0.12), at(x, 0.88));
      break;
    case LineAnswer::Kind::Ready:
      painter.drawEllipse(inner);
      break;
  }
}

AnswerCard::AnswerCard(LinePlace& place, const release::LineRules& rules, int number, QWidget* parent)
    : QFrame(parent), place_(place), rules_(rules) {
  setObjectName("answerCard");
  connect(&ThemeNotice::get(), &ThemeNotice::changed, this, &AnswerCard::colour);
  sign_ = new AnswerSign(this);
  number_ = words(this, "placeNumber");
  number_->setText(number == 0 ? QString() : QString::number(number));
  number_->setVisible(number != 0);
  word_ = words(this, "answerWord");
  word_->setWordWrap(false);
  sentence_ = words(this, "answerSentence");
  under_ = words(this, "answerUnder");
  next_ = words(this, "answerNext");
  details_ = words(this, "answerDetails");
  details_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
  health_ = words(this, "answerHealth");
  waits_ = words(this, "answerWaits");
  unfold_ = new QToolButton(this);
  unfold_->setObjectName("answerUnfold");
  unfold_->setText(tr("for the engineer"));
  unfold_->setArrowType(Qt::RightArrow);
  unfold_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  unfold_->setCheckable(true);
  unfold_->setAutoRaise(true);
  code_ = new QLineEdit(this);
  code_->setObjectName("answerCode");
  code_->setAccessibleName(tr("Code of the board"));
  code_->setPlaceholderText(tr("scan, or type and press Return"));
  button_ = firmButton(this, "answerAct");
  connect(button_, &QPushButton::clicked, this, &AnswerCard::act);
  connect(unfold_, &QToolButton::toggled, this, [this](bool open) {
    unfold_->setArrowType(open ? Qt::DownArrow : Qt::RightArrow);
    details_->setVisible(open);
  });
  connect(code_, &QLineEdit::returnPressed, this, [this] {
    const QString text = code_->text().trimmed();
    code_->clear();
    if (!text.isEmpty()) place_.give(text);
  });
  connect(&place_, &LinePlace::changed, this, &AnswerCard::refresh);
  details_->hide();
  measure();
  refresh();
}

int AnswerCard::wordHeight() const {
  return QFontMetrics(word_->font()).tightBoundingRect(answer_.word).height();
}

void AnswerCard::act() {
  switch (place_.phase()) {
    case line::Phase::Running:
      return place_.interrupt();
    case line::Phase::AwaitsKey:
    case line::Phase::Halted:
      return place_.press();
    default:
      return;
  }
}

void AnswerCard::takeFocus() {
  if (code_->isVisible()) {
    code_->setFocus();
  } else if (button_->isVisible()) {
    button_->setFocus();
  }
}

void AnswerCard::refresh() {
  const LineAnswer before = std::exchange(answer_, answerAt(place_, rules_));
  sign_->show(answer_.kind, answer_.part);
  LineAnswer further = before;
  further.part = answer_.part;
  const QString health = place_.health();
  if (drawn_ && further == answer_ && health_->text() == health) return;  // only the sign goes on
  const bool otherKind = !std::exchange(drawn_, true) || before.kind != answer_.kind;
  const auto set = [](QLabel* label, const QString& text) {
    if (label->text() != text) label->setText(text);
    label->setVisible(!text.isEmpty());
  };
  set(word_, answer_.word);
  set(sentence_, answer_.sentence);
  set(under_, answer_.under);
  set(next_, answer_.next);
  set(health_, health);
  details_->setText(answer_.details);
  unfold_->setVisible(!answer_.details.isEmpty());
  details_->setVisible(unfold_->isChecked() && !answer_.details.isEmpty());
  const bool asks = place_.phase() == line::Phase::AsksField;
  code_->setVisible(asks);
  // What only waits is no button.
  button_->setVisible(!asks && answer_.canAct);
  if (button_->text() != answer_.button) button_->setText(answer_.button);
  setRole(button_, place_.phase() == line::Phase::Running ? "stops" : "main");
  set(waits_, asks || answer_.canAct ? QString() : answer_.button);
  // A style sheet is read anew each time, which takes longer than all the rest.
  if (otherKind) colour();
  setAccessibleName(number_->text().isEmpty() ? answer_.word : tr("Place %1: %2").arg(number_->text(), answer_.word));
  setAccessibleDescription((QStringList{answer_.sentence, answer_.under, answer_.next}).join(" "));
  if (otherKind) {
    QAccessibleEvent event(this, QAccessible::NameChanged);
    QAccessible::updateAccessibility(&event);
    if (asks) code_->setFocus();
  }
  update();
}

void AnswerCard::colour() {
  word_->setStyleSheet("color: " + colorOf(answer_.kind).name());
}

/// All sizes follow from the card's.
void AnswerCard::measure() {
  delete layout();
  auto* grid = new QGridLayout(this);
  const bool wide = width() >= kWide;
  const int margin = wide ? 40 : 12;
  grid->setContentsMargins(margin, wide ? 28 : 10, margin, wide ? 24 : 10);
  grid->setHorizontalSpacing(wide ? 56 : 8);
  grid->setVerticalSpacing(wide ? 10 : 4);
  // The longest word fits.
  constexpr int kProbe = 100;
  const int longest = QFontMetrics(textFont(kProbe, QFont::ExtraBold)).horizontalAdvance(tr("Stopped"));
  const int room = wide ? width() * 3 / 5 : width() - 2 * margin;
  const int word = std::clamp(room * kProbe / longest, 12, wide ? std::clamp(height() * 2 / 5, 60, 190) : 90);
  const int text = wide ? std::clamp(height() / 18, 13, 27) : std::clamp(width() / 12, 11, 18);
  word_->setFont(textFont(word, QFont::ExtraBold));
  sentence_->setFont(textFont(text));
  under_->setFont(textFont(text * 2 / 3 + 4));
  next_->setFont(textFont(text, QFont::DemiBold));
  health_->setFont(textFont(std::max(12, text * 2 / 3)));
  for (QWidget* small : {static_cast<QWidget*>(details_), static_cast<QWidget*>(unfold_)}) small->setFont(textFont(12));
  number_->setFont(textFont(std::max(14, text), QFont::Bold));
  button_->setFont(textFont(wide ? 17 : 12, QFont::DemiBold));
  button_->setMinimumSize(wide ? 240 : 1, wide ? 56 : 30);
  code_->setFont(byteFont(wide ? 20 : 13));
  code_->setMinimumHeight(wide ? 56 : 30);
  setRole(under_, "muted");
  setRole(waits_, "muted");
  waits_->setFont(textFont(wide ? 17 : 12, QFont::DemiBold));
  waits_->setMinimumHeight(wide ? 56 : 30);
  setRole(health_, "trouble");
  const int column = wide ? 1 : 0;
  int row = 0;
  if (wide) {
    sign_->setFixedSize(std::min(width() / 5, height() / 2), std::min(width() / 5, height() / 2));
    grid->addWidget(sign_, 0, 0, 8, 1, Qt::AlignVCenter);
  } else {
    const int side = std::clamp(std::min(width() / 2, height() / 4), 28, 140);
    sign_->setFixedSize(side, side);
    grid->addWidget(number_, row++, 0, Qt::AlignLeft);
    grid->setRowMinimumHeight(row++, height() / 6);  // signs stand in a row, however long the sentences are
    grid->addWidget(sign_, row++, 0, Qt::AlignHCenter);
  }
  const Qt::Alignment where = wide ? Qt::AlignLeft : Qt::AlignHCenter;
  for (QLabel* label : {word_, sentence_, under_, next_, details_, health_, waits_})
    label->setAlignment((wide ? Qt::AlignLeft : Qt::AlignHCenter) | Qt::AlignTop);
  grid->addWidget(word_, row++, column);
  for (QWidget* each : {static_cast<QWidget*>(sentence_), static_cast<QWidget*>(under_), static_cast<QWidget*>(next_),
                        static_cast<QWidget*>(health_)})
    grid->addWidget(each, row++, column);
  grid->addWidget(unfold_, row++, column, where);
  grid->addWidget(details_, row++, column);
  grid->setRowStretch(row++, wide ? 1 : 2);
  grid->addWidget(code_, row++, column);
  grid->addWidget(button_, row++, column, wide ? Qt::AlignRight : Qt::Alignment());
  grid->addWidget(waits_, row++, column);
  grid->setColumnStretch(column, 1);
}

void AnswerCard::resizeEvent(QResizeEvent* event) {
  QFrame::resizeEvent(event);
  if (event->size() != event->oldSize()) measure();
}

void AnswerCard::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const double border = width() >= kWide ? 6 : 4;
  const bool told = answer_.kind != LineAnswer::Kind::Ready && answer_.kind != LineAnswer::Kind::Scan;
  painter.setPen(QPen(told ? colorOf(answer_.kind) : theme.line, border));
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(rect()).adjusted(border / 2, border / 2, -border / 2, -border / 2), 10, 10);
}

}  // namespace imprimo::app
