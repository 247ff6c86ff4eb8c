// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/records/figures.h"

#include <qcustomplot.h>

#include <QDate>
#include <algorithm>

#include "app/look/small_widgets.h"
#include "app/look/theme_notice.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr double kSecondsOfDay = 86400;

double noonOf(const std::string& day) {
  return QDateTime(QDate::fromString(QString::fromStdString(day), Qt::ISODate), QTime(12, 0), Qt::UTC)
      .toSecsSinceEpoch();
}

}  // namespace

Figures::Figures(QWidget* parent) : QWidget(parent), plot_(new QCustomPlot(this)) {
  setObjectName("figures");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 8, 12, 8);
  column->setSpacing(6);
  words_ = new QLabel(this);
  words_->setObjectName("figureWords");
  words_->setFont(textFont(14, QFont::DemiBold));
  words_->setWordWrap(true);
  column->addWidget(words_);
  plot_->setObjectName("yieldPlot");
  plot_->setAccessibleName(tr("Good runs in a hundred, and seconds of each, over days"));
  plot_->setFocusPolicy(Qt::NoFocus);
  setAccessibleName(plot_->accessibleName());
  speaksFor(this);
  connect(&ThemeNotice::get(), &ThemeNotice::changed, this, [this] {
    colour();
    plot_->replot();
  });
  plot_->setMinimumHeight(220);
  column->addWidget(plot_, 1);
  steps_ = new QLabel(this);
  steps_->setObjectName("failedSteps");
  steps_->setFont(textFont(13));
  steps_->setTextFormat(Qt::RichText);
  steps_->setWordWrap(true);
  column->addWidget(steps_);
  plot_->plotLayout()->clear();
  auto* above = new QCPAxisRect(plot_);
  auto* below = new QCPAxisRect(plot_);
  plot_->plotLayout()->addElement(0, 0, above);
  plot_->plotLayout()->addElement(1, 0, below);
  plot_->plotLayout()->setRowSpacing(4);
  auto* margins = new QCPMarginGroup(plot_);
  for (QCPAxisRect* rect : {above, below}) {
    rect->setMarginGroup(QCP::msLeft | QCP::msRight, margins);
    for (QCPAxis* axis : rect->axes()) axis->setLayer("axes");
    rect->axis(QCPAxis::atBottom)->setTicker(QSharedPointer<QCPAxisTickerDateTime>(new QCPAxisTickerDateTime));
    rect->axis(QCPAxis::atBottom)->grid()->setVisible(false);
  }
  above->axis(QCPAxis::atBottom)->setTickLabels(false);
  qSharedPointerCast<QCPAxisTickerDateTime>(below->axis(QCPAxis::atBottom)->ticker())->setDateTimeFormat("MM-dd");
  qSharedPointerCast<QCPAxisTickerDateTime>(below->axis(QCPAxis::atBottom)->ticker())->setDateTimeSpec(Qt::UTC);
  above->axis(QCPAxis::atLeft)->setLabel(tr("good, %"));
  below->axis(QCPAxis::atLeft)->setLabel(tr("seconds each"));
  yield_ = plot_->addGraph(above->axis(QCPAxis::atBottom), above->axis(QCPAxis::atLeft));
  time_ = plot_->addGraph(below->axis(QCPAxis::atBottom), below->axis(QCPAxis::atLeft));
}

void Figures::colour() {
  const Theme& theme = Theme::current();
  plot_->setBackground(QBrush(theme.panel));
  yield_->setPen(QPen(theme.agrees, 1.6));
  yield_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, theme.agrees, theme.agrees, 5));
  time_->setPen(QPen(theme.planned, 1.6));
  time_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssSquare, theme.planned, theme.planned, 4));
  for (QCPAxisRect* rect : plot_->axisRects()) {
    for (const auto which : {QCPAxis::atLeft, QCPAxis::atBottom}) {
      QCPAxis* axis = rect->axis(which);
      axis->setBasePen(QPen(theme.line));
      axis->setTickPen(QPen(theme.faint));
      axis->setSubTickPen(Qt::NoPen);
      axis->setTickLabelColor(theme.muted);
      axis->setTickLabelFont(textFont(11));
      axis->setLabelColor(theme.muted);
      axis->setLabelFont(textFont(11));
      axis->grid()->setPen(QPen(theme.line, 1, Qt::DotLine));
    }
  }
}

int Figures::spokenCount() const {
  return static_cast<int>(std::max<std::size_t>(1, days_.size()));
}

SpokenItem Figures::spokenItem(int index) const {
  SpokenItem item;
  item.rect = plot_->geometry();
  item.role = QAccessible::StaticText;
  if (days_.empty()) {
    item.name = tr("No run is like that.");
    return item;
  }
  const records::DayCount& day = days_[static_cast<std::size_t>(index)];
  const auto count = static_cast<double>(std::max<std::uint64_t>(day.runs, 1));
  item.name = QString::fromStdString(day.day);
  item.value = tr("%1 % good, %2 each")
                   .arg(100.0 * static_cast<double>(day.good) / count, 0, 'f', 1)
                   .arg(QString::fromStdString(durationText(day.seconds / count)));
  return item;
}

void Figures::show(const std::vector<records::DayCount>& days,
                   const std::vector<std::pair<std::string, std::uint64_t>>& failures) {
  colour();
  days_ = days;
  yield_->data()->clear();
  time_->data()->clear();
  std::uint64_t runs = 0, good = 0;
  double seconds = 0, slowest = 0, lowest = 100;
  for (const records::DayCount& day : days) {
    const auto count = static_cast<double>(std::max<std::uint64_t>(day.runs, 1));
    const double at = noonOf(day.day), share = 100.0 * static_cast<double>(day.good) / count;
    yield_->addData(at, share);
    time_->addData(at, day.seconds / count);
    runs += day.runs;
    good += day.good;
    seconds += day.seconds;
    slowest = std::max(slowest, day.seconds / count);
    lowest = std::min(lowest, share);
  }
  if (!days.empty()) {
    for (QCPAxisRect* rect : plot_->axisRects())
      rect->axis(QCPAxis::atBottom)
          ->setRange(noonOf(days.front().day) - kSecondsOfDay, noonOf(days.back().day) + kSecondsOfDay);
  }
  plot_->axisRect(0)->axis(QCPAxis::atLeft)->setRange(std::max(0.0, lowest - 5), 101);
  plot_->axisRect(1)->axis(QCPAxis::atLeft)->setRange(0, slowest * 1.1 + 0.1);
  plot_->replot();
  if (runs == 0) {
    words_->setText(tr("No run is like that."));
  } else {
    words_->setText(tr("%1 of %2 good (%3 %), %4 each")
                        .arg(good)
                        .arg(QString::fromStdString(countText(runs, "run")))
                        .arg(100.0 * static_cast<double>(good) / static_cast<double>(runs), 0, 'f', 1)
                        .arg(QString::fromStdString(durationText(seconds / static_cast<double>(runs)))));
  }
  const Theme& theme = Theme::current();
  QString html;
  for (std::size_t i = 0; i < failures.size() && i < 8; ++i) {
    html += QString("<tr><td style='padding-right:12px'>%1</td><td style='color:%2'>%3</td></tr>")
                .arg(QString::fromStdString(failures[i].first.empty() ? "before the first step" : failures[i].first)
                         .toHtmlEscaped(),
                     theme.differs.name())
                .arg(failures[i].second);
  }
  steps_->setText(html.isEmpty() ? tr("Nothing failed.") : tr("Failed at:") + "<table>" + html + "</table>");
}

}  // namespace imprimo::app
