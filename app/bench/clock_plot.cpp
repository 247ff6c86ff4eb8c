// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/clock_plot.h"

#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

#include "app/look/theme.h"
#include "app/look/theme_notice.h"

namespace imprimo::app {

ClockPlot::ClockPlot(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(plot_);
  setObjectName("clockPlot");
  setAccessibleName(tr("Wrong bits over clock"));
  plot_->setFocusPolicy(Qt::NoFocus);
  speaksFor(this);
  sound_ = plot_->addGraph();
  wrong_ = plot_->addGraph();
  for (QCPGraph* graph : {sound_, wrong_}) graph->setLineStyle(QCPGraph::lsNone);
  suggested_ = new QCPItemStraightLine(plot_);
  words_ = new QCPItemText(plot_);
  words_->position->setTypeX(QCPItemPosition::ptPlotCoords);
  words_->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
  words_->setFont(textFont(10, QFont::DemiBold));
  plot_->xAxis->setScaleType(QCPAxis::stLogarithmic);
  auto ticker = QSharedPointer<QCPAxisTickerText>(new QCPAxisTickerText);
  for (const int mhz : {1, 2, 5, 10}) ticker->addTick(mhz, QString::number(mhz));
  ticker->addTick(20, tr("20 MHz"));
  plot_->xAxis->setTicker(ticker);
  plot_->xAxis->setTickLabelFont(textFont(10));
  plot_->xAxis->setRange(0.85, 36);
  plot_->xAxis->grid()->setVisible(false);
  plot_->yAxis->setVisible(false);
  plot_->yAxis->grid()->setVisible(false);
  plot_->axisRect()->setAutoMargins(QCP::msBottom);
  plot_->axisRect()->setMargins(QMargins(2, 4, 2, 0));
  connect(&bench_, &Workbench::clockChanged, this, &ClockPlot::refresh);
  connect(&bench_, &Workbench::linkChanged, this, &ClockPlot::refresh);
  connect(&ThemeNotice::get(), &ThemeNotice::changed, this, &ClockPlot::refresh);
  refresh();
}

void ClockPlot::colour() {
  const Theme& theme = Theme::current();
  plot_->setBackground(QBrush(theme.panel));
  sound_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, theme.agrees, theme.agrees, 6));
  wrong_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCross, QPen(theme.differs, 2), Qt::NoBrush, 7));
  suggested_->setPen(QPen(theme.planned, 1.4, Qt::DashLine));
  words_->setColor(theme.planned);
  plot_->xAxis->setBasePen(QPen(theme.line));
  plot_->xAxis->setTickPen(QPen(theme.faint));
  plot_->xAxis->setSubTickPen(Qt::NoPen);
  plot_->xAxis->setTickLabelColor(theme.muted);
}

int ClockPlot::spokenCount() const {
  return static_cast<int>(std::max<std::size_t>(1, bench_.clock().samples().size()));
}

SpokenItem ClockPlot::spokenItem(int index) const {
  SpokenItem item;
  item.role = QAccessible::StaticText;
  item.rect = rect();
  const auto& samples = bench_.clock().samples();
  if (samples.empty()) {
    item.name = tr("No clock was tried.");
    return item;
  }
  const probe::ClockSample& sample = samples[static_cast<std::size_t>(index)];
  item.name = tr("%1. %2 MHz").arg(index + 1).arg(sample.hz / 1e6, 0, 'g', 3);
  item.value = sample.sound() ? tr("sound") : tr("%1 of %2 bits wrong").arg(sample.wrong).arg(sample.bits);
  return item;
}

void ClockPlot::refresh() {
  colour();
  sound_->data()->clear();
  wrong_->data()->clear();
  for (const probe::ClockSample& s : bench_.clock().samples()) {
    const double mhz = s.hz / 1e6;
    if (s.sound()) {
      sound_->addData(mhz, 0);
    } else {
      // One wrong bit stands clear of the line, half of them wrong at the top.
      const double share = static_cast<double>(std::max<std::uint64_t>(s.wrong, 1)) / static_cast<double>(s.bits);
      wrong_->addData(mhz, 1.2 + std::clamp(std::log10(share * 2) / 4 + 1, 0.0, 1.0) * 1.8);
    }
  }
  const bool known = bench_.clock().found() && bench_.clock().found()->chain.suggested != 0;
  suggested_->setVisible(known);
  words_->setVisible(known);
  if (known) {
    const double mhz = bench_.clock().found()->chain.suggested / 1e6;
    suggested_->point1->setCoords(mhz, 0);
    suggested_->point2->setCoords(mhz, 1);
    const bool left = mhz > 6;
    words_->setPositionAlignment(Qt::AlignTop | (left ? Qt::AlignRight : Qt::AlignLeft));
    words_->position->setCoords(mhz * (left ? 0.94 : 1.06), 0.02);
    words_->setText(tr("%1 MHz").arg(mhz, 0, 'g', 3));
  }
  plot_->yAxis->setRange(-0.6, 3.4);
  plot_->replot();
}

}  // namespace imprimo::app
