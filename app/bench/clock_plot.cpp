// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/clock_plot.h"

#include <algorithm>
#include <cmath>

namespace imprimo::app {

ClockPlot::ClockPlot(Workbench& bench, QWidget* parent) : QCustomPlot(parent), bench_(bench) {
  setObjectName("clockPlot");
  setAccessibleName(tr("Wrong bits over clock"));
  setFocusPolicy(Qt::NoFocus);
  sound_ = addGraph();
  wrong_ = addGraph();
  for (QCPGraph* graph : {sound_, wrong_}) graph->setLineStyle(QCPGraph::lsNone);
  suggested_ = new QCPItemStraightLine(this);
  words_ = new QCPItemText(this);
  words_->position->setTypeX(QCPItemPosition::ptPlotCoords);
  words_->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
  words_->setFont(textFont(10, QFont::DemiBold));
  xAxis->setScaleType(QCPAxis::stLogarithmic);
  auto ticker = QSharedPointer<QCPAxisTickerText>(new QCPAxisTickerText);
  for (const int mhz : {1, 2, 5, 10}) ticker->addTick(mhz, QString::number(mhz));
  ticker->addTick(20, tr("20 MHz"));
  xAxis->setTicker(ticker);
  xAxis->setTickLabelFont(textFont(10));
  xAxis->setRange(0.85, 36);
  xAxis->grid()->setVisible(false);
  yAxis->setVisible(false);
  yAxis->grid()->setVisible(false);
  axisRect()->setAutoMargins(QCP::msBottom);
  axisRect()->setMargins(QMargins(2, 4, 2, 0));
  connect(&bench_, &Workbench::clockChanged, this, &ClockPlot::refresh);
  connect(&bench_, &Workbench::linkChanged, this, &ClockPlot::refresh);
  refresh();
}

void ClockPlot::colour() {
  const Theme& theme = Theme::current();
  setBackground(QBrush(theme.panel));
  sound_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, theme.agrees, theme.agrees, 6));
  wrong_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCross, QPen(theme.differs, 2), Qt::NoBrush, 7));
  suggested_->setPen(QPen(theme.planned, 1.4, Qt::DashLine));
  words_->setColor(theme.planned);
  xAxis->setBasePen(QPen(theme.line));
  xAxis->setTickPen(QPen(theme.faint));
  xAxis->setSubTickPen(Qt::NoPen);
  xAxis->setTickLabelColor(theme.muted);
}

void ClockPlot::refresh() {
  colour();
  sound_->data()->clear();
  wrong_->data()->clear();
  for (const probe::ClockSample& s : bench_.clockSamples()) {
    const double mhz = s.hz / 1e6;
    if (s.sound()) {
      sound_->addData(mhz, 0);
    } else {
      // One wrong bit stands clear of the line, half of them wrong at the top.
      const double share = static_cast<double>(std::max<std::uint64_t>(s.wrong, 1)) / static_cast<double>(s.bits);
      wrong_->addData(mhz, 1.2 + std::clamp(std::log10(share * 2) / 4 + 1, 0.0, 1.0) * 1.8);
    }
  }
  const bool known = bench_.clockReport() && bench_.clockReport()->chain.suggested != 0;
  suggested_->setVisible(known);
  words_->setVisible(known);
  if (known) {
    const double mhz = bench_.clockReport()->chain.suggested / 1e6;
    suggested_->point1->setCoords(mhz, 0);
    suggested_->point2->setCoords(mhz, 1);
    const bool left = mhz > 6;
    words_->setPositionAlignment(Qt::AlignTop | (left ? Qt::AlignRight : Qt::AlignLeft));
    words_->position->setCoords(mhz * (left ? 0.94 : 1.06), 0.02);
    words_->setText(tr("%1 MHz").arg(mhz, 0, 'g', 3));
  }
  yAxis->setRange(-0.6, 3.4);
  replot();
}

}  // namespace imprimo::app
