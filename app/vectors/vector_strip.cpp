// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/vector_strip.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QRegularExpression>
#include <QToolTip>
#include <algorithm>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kLeastStep = 58;  // pixels for a step's name

/// "Write 544 pages" of "Step 5 of 7: Write 544 pages, 0x000020 – … in boot-flash; begins at 54 s".
QString shortStep(const std::string& title) {
  const QString text = QString::fromStdString(svf::stepTitle(title).value_or(title));
  return text.section(QRegularExpression("[,;]"), 0, 0);
}

QString secondsText(double seconds) {
  return QString::fromStdString(durationText(seconds));
}

}  // namespace

VectorStrip::VectorStrip(VectorDocument& document, QWidget* parent) : QWidget(parent), document_(document) {
  setObjectName("vectorStrip");
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("The file over its time"));
  setAccessibleDescription(tr("Left and right go from step to step"));
  speaksFor(this);
  const auto anew = [this] {
    columns_ = stripColumns(document_.survey(), geometryNow());
    update();
  };
  for (const auto signal : {&VectorDocument::changed, &VectorDocument::surveyChanged})
    connect(&document, signal, this, anew);
  for (const auto signal :
       {&VectorDocument::positionChanged, &VectorDocument::playChanged, &VectorDocument::marksChanged}) {
    connect(&document, signal, this, [this] {
      currentChanged();
      update();
    });
  }
}

StripGeometry VectorStrip::geometryNow() const {
  return StripGeometry::fit(size(), document_.survey().seconds);
}

void VectorStrip::resizeEvent(QResizeEvent*) {
  columns_ = stripColumns(document_.survey(), geometryNow());
}

void VectorStrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  draw(painter, Theme::current());
}

void VectorStrip::draw(QPainter& painter, const Theme& theme) const {
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(hasFocus() ? theme.planned : theme.line, hasFocus() ? 2 : 1));
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), measure::kRadius, measure::kRadius);
  if (!document_.isOpen()) return;
  painter.setRenderHint(QPainter::Antialiasing, false);
  const StripGeometry g = geometryNow();
  drawLanes(painter, theme, g);
  drawSteps(painter, theme, g);
  drawPosition(painter, theme, g);
}

void VectorStrip::drawLanes(QPainter& painter, const Theme& theme, const StripGeometry& g) const {
  const QString names[] = {tr("instruction"), tr("data out"), tr("waiting"), tr("compared")};
  const QColor colors[] = {theme.planned, theme.planned, theme.erasing, theme.agrees};
  const bool playing = document_.playing().state() != PlayState::Nothing;
  const double done = playing ? g.xOf(document_.playing().playedSeconds()) : 0;
  painter.setFont(textFont(12));
  for (int lane = 0; lane < StripGeometry::kLanes; ++lane) {
    const QRect r = g.lane(static_cast<StripGeometry::Lane>(lane));
    painter.setPen(theme.muted);
    painter.drawText(QRect(6, r.top() - 4, g.plot.left() - 18, r.height() + 8), Qt::AlignRight | Qt::AlignVCenter,
                     names[lane]);
    painter.setPen(theme.line);
    painter.drawLine(r.left(), r.bottom() + 3, r.right(), r.bottom() + 3);
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      const float share = columns_[c].share[static_cast<std::size_t>(lane)];
      if (share <= 0) continue;
      QColor color = colors[lane];
      // Little of a column is lighter, but never so light that it could be overlooked; what was played is stronger.
      const int x = g.plot.left() + static_cast<int>(c);
      const float strength = 0.35F + 0.65F * std::min(1.0F, share);
      color.setAlphaF(playing && x > done ? 0.4F * strength : strength);
      painter.fillRect(x, r.top(), 1, r.height(), color);
    }
  }
}

void VectorStrip::drawSteps(QPainter& painter, const Theme& theme, const StripGeometry& g) const {
  struct Step {
    int x = 0;
    double seconds = 0;
    QString name;
  };
  std::vector<Step> steps;
  for (const svf::Survey::Mark& mark : document_.survey().marks) {
    if (mark.point.title.empty()) continue;
    if (!steps.empty()) steps.back().seconds = mark.at - steps.back().seconds;
    steps.push_back({static_cast<int>(g.xOf(mark.at)), mark.at, shortStep(mark.point.title)});
    painter.setPen(QPen(theme.faint, 1, Qt::DotLine));
    painter.drawLine(steps.back().x, g.plot.top() - 4, steps.back().x, g.plot.bottom() + 2);
  }
  if (steps.empty()) return;
  steps.back().seconds = g.seconds - steps.back().seconds;
  // The longest has its name first, the others where there is room left.
  std::stable_sort(steps.begin(), steps.end(), [](const Step& a, const Step& b) { return a.seconds > b.seconds; });
  painter.setFont(textFont(11, QFont::DemiBold));
  painter.setPen(theme.ink);
  const QFontMetrics metrics(painter.font());
  std::vector<std::pair<int, int>> taken;
  for (const Step& step : steps) {
    const int left = step.x + 4;
    int right = std::min(left + metrics.horizontalAdvance(step.name) + 1, g.plot.right() + 8);
    for (const auto& [from, to] : taken) {
      if (left < to && from < right) right = from >= left ? from - 8 : left;
    }
    if (right - left < std::min(kLeastStep, metrics.horizontalAdvance(step.name))) continue;
    painter.drawText(QRect(left, g.plot.bottom() + 4, right - left, 16), Qt::AlignVCenter,
                     metrics.elidedText(step.name, Qt::ElideRight, right - left));
    taken.emplace_back(left, right + 8);
  }
}

void VectorStrip::drawPosition(QPainter& painter, const Theme& theme, const StripGeometry& g) const {
  const svf::Survey& survey = document_.survey();
  const auto line = [&](double at, const QColor& color, int width) {
    const int x = static_cast<int>(g.xOf(at));
    painter.setPen(QPen(color, width));
    painter.drawLine(x, g.plot.top() - 4, x, g.plot.bottom() + 2);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(color);
    painter.drawPolygon(
        QPolygon({QPoint(x - 5, g.plot.top() - 10), QPoint(x + 6, g.plot.top() - 10), QPoint(x, g.plot.top() - 2)}));
    painter.setRenderHint(QPainter::Antialiasing, false);
  };
  for (const std::uint64_t mark : document_.bookmarks()) {
    const int x = static_cast<int>(g.xOf(survey.timeOf(mark)));
    painter.fillRect(x - 1, g.plot.bottom() - 2, 3, 6, theme.ink);
  }
  const bool going =
      document_.playing().state() == PlayState::Playing || document_.playing().state() == PlayState::Paused;
  const double at = going ? document_.playing().playedSeconds() : survey.timeOf(document_.position());
  const bool broken = document_.playing().mismatch().has_value();
  line(at, broken ? theme.differs : theme.ink, broken ? 2 : 1);
  painter.setFont(textFont(11, QFont::DemiBold));
  painter.setPen(theme.ink);
  painter.drawText(QRect(4, g.plot.bottom() + 4, g.plot.left() - 16, 16), Qt::AlignRight | Qt::AlignVCenter,
                   tr("%1 of %2").arg(secondsText(at), secondsText(survey.seconds)));
}

QString VectorStrip::textAt(const QPoint& point) const {
  const StripGeometry g = geometryNow();
  const double at = g.timeAt(point.x());
  QString step;
  for (const auto& mark : document_.survey().marks) {
    if (mark.at <= at && !mark.point.title.empty()) step = QString::fromStdString(mark.point.title);
  }
  return tr("%1 from the start%2").arg(secondsText(at), step.isEmpty() ? QString() : "\n" + step);
}

bool VectorStrip::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip && document_.isOpen()) {
    const auto* help = static_cast<QHelpEvent*>(event);
    QToolTip::showText(help->globalPos(), textAt(help->pos()), this);
    return true;
  }
  return QWidget::event(event);
}

void VectorStrip::goTo(const QPoint& point) {
  if (document_.isOpen()) document_.setPosition(document_.survey().offsetAt(geometryNow().timeAt(point.x())));
}

void VectorStrip::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) goTo(event->pos());
}

void VectorStrip::mouseMoveEvent(QMouseEvent* event) {
  if ((event->buttons() & Qt::LeftButton) != 0) goTo(event->pos());
}

void VectorStrip::keyPressEvent(QKeyEvent* event) {
  switch (event->key()) {
    case Qt::Key_Left:
      return document_.moveMarks(-1);
    case Qt::Key_Right:
      return document_.moveMarks(1);
    case Qt::Key_Home:
      return document_.setPosition(0);
    case Qt::Key_End:
      return document_.setPosition(document_.survey().end.offset);
    default:
      QWidget::keyPressEvent(event);
  }
}

}  // namespace imprimo::app
