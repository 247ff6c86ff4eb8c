// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/console/console_plot.h"

#include <qcustomplot.h>

#include <QToolButton>
#include <algorithm>

#include "app/look/small_widgets.h"
#include "app/look/theme.h"
#include "app/look/theme_notice.h"
#include "core/console/numbers.h"

namespace imprimo::app {
namespace {

/// More curves than these say nothing any more, nor do more values than a screen has points.
constexpr std::size_t kMostCurves = 8;
constexpr int kMostValues = 4000;
constexpr int kRedrawMs = 60;

const Qt::PenStyle kLines[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine};

}  // namespace

ConsolePlot::ConsolePlot(ConsoleModel& model, QWidget* parent)
    : QWidget(parent), model_(model), plot_(new QCustomPlot(this)), legend_(new QHBoxLayout) {
  setObjectName("consolePlot");
  setAccessibleName(tr("Numbers over time"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  legend_->addStretch(1);
  legend_->addWidget(mutedLabel(this, tr("over seconds")));
  column->addLayout(legend_);
  column->addWidget(plot_, 1);
  plot_->setFocusPolicy(Qt::NoFocus);
  speaksFor(this);
  plot_->xAxis->setTickLabelFont(textFont(10));
  plot_->xAxis->grid()->setVisible(false);
  plot_->yAxis->setVisible(false);
  plot_->yAxis->grid()->setVisible(false);
  plot_->axisRect()->setAutoMargins(QCP::msBottom);
  plot_->axisRect()->setMargins(QMargins(2, 4, 2, 0));
  redraw_.setSingleShot(true);
  connect(&redraw_, &QTimer::timeout, this, &ConsolePlot::redraw);
  connect(&model_.log(), &ConsoleLog::lineAdded, this, [this](qsizetype index, const std::string& line) {
    const ConsoleLog::Line added = model_.log().line(static_cast<std::size_t>(index));
    if (!added.note && !added.torn) take(line, added.time);
  });
  connect(&model_.log(), &ConsoleLog::cleared, this, &ConsolePlot::clear);
  connect(&ThemeNotice::get(), &ThemeNotice::changed, this, &ConsolePlot::redraw);
}

QStringList ConsolePlot::names() const {
  QStringList all;
  for (const auto& [name, curve] : curves_) all += name;
  return all;
}

int ConsolePlot::spokenCount() const {
  return static_cast<int>(std::max<std::size_t>(1, curves_.size()));
}

SpokenItem ConsolePlot::spokenItem(int index) const {
  SpokenItem item;
  item.role = QAccessible::StaticText;
  item.rect = plot_->geometry();
  if (curves_.empty()) {
    item.name = tr("No number yet.");
    return item;
  }
  const auto& [name, curve] = *std::next(curves_.begin(), index);
  item.name = tr("Curve %1").arg(name);
  item.value = tr("%1 now, %2 values").arg(curve.last).arg(curve.graph->dataCount());
  return item;
}

int ConsolePlot::valuesOf(const QString& name) const {
  const auto found = curves_.find(name);
  return found == curves_.end() ? 0 : found->second.graph->dataCount();
}

ConsolePlot::Curve& ConsolePlot::curveOf(const QString& name) {
  Curve& curve = curves_[name];
  if (curve.graph != nullptr) return curve;
  // Each by its own scale, so that a level of thousands does not press a voltage flat.
  QCPAxis* axis = plot_->axisRect()->addAxis(QCPAxis::atLeft);
  axis->setVisible(false);
  curve.graph = plot_->addGraph(plot_->xAxis, axis);
  curve.button = smallButton(this, name, tr("Show or hide %1").arg(name));
  curve.button->setObjectName("curve_" + name);
  curve.button->setCheckable(true);
  curve.button->setChecked(true);
  QCPGraph* graph = curve.graph;
  connect(curve.button, &QToolButton::toggled, this, [this, graph](bool on) {
    graph->setVisible(on);
    redraw();
  });
  legend_->insertWidget(legend_->count() - 2, curve.button);
  colour();
  return curve;
}

void ConsolePlot::take(const std::string& line, qint64 time) {
  for (const console::NamedNumber& number : console::namedNumbers(line)) {
    const QString name = QString::fromStdString(number.name);
    if (!curves_.contains(name) && curves_.size() >= kMostCurves) continue;
    if (begin_ == 0) begin_ = time;
    Curve& curve = curveOf(name);
    curve.graph->addData(static_cast<double>(time - begin_) / 1000.0, number.value);
    curve.last = number.value;
    if (curve.graph->dataCount() > kMostValues + kMostValues / 4) {
      const auto values = curve.graph->data();
      values->removeBefore((values->constEnd() - kMostValues)->key);
    }
    if (!redraw_.isActive()) redraw_.start(kRedrawMs);
  }
}

void ConsolePlot::clear() {
  for (auto& [name, curve] : curves_) {
    QCPAxis* axis = curve.graph->valueAxis();
    plot_->removeGraph(curve.graph);
    plot_->axisRect()->removeAxis(axis);
    curve.button->deleteLater();
  }
  curves_.clear();
  begin_ = 0;
  plot_->replot();
}

void ConsolePlot::colour() {
  const Theme& theme = Theme::current();
  plot_->setBackground(QBrush(theme.panel));
  plot_->xAxis->setBasePen(QPen(theme.line));
  plot_->xAxis->setTickPen(QPen(theme.faint));
  plot_->xAxis->setSubTickPen(Qt::NoPen);
  plot_->xAxis->setTickLabelColor(theme.muted);
  std::size_t index = 0;
  for (auto& [name, curve] : curves_) {
    curve.graph->setPen(QPen(theme.pieceColor(index), 1.6, kLines[index % std::size(kLines)]));
    curve.button->setStyleSheet(QString("color: %1").arg(theme.pieceColor(index).name()));
    ++index;
  }
}

void ConsolePlot::redraw() {
  colour();
  double end = 0;
  for (auto& [name, curve] : curves_) {
    curve.button->setText(QString("%1 %2  %3").arg(curve.button->isChecked() ? "●" : "○", name).arg(curve.last));
    if (curve.graph->dataCount() == 0) continue;
    end = std::max(end, (curve.graph->data()->constEnd() - 1)->key);
    bool found = false;
    const QCPRange range = curve.graph->getValueRange(found);
    const double room = range.size() > 0 ? range.size() * 0.12 : 1;
    if (found) curve.graph->valueAxis()->setRange(range.lower - room, range.upper + room);
  }
  constexpr double kShownSeconds = 60;
  plot_->xAxis->setRange(std::max(0.0, end - kShownSeconds), std::max(end, 5.0));
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace imprimo::app
