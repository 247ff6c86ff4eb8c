// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/console/console_strip.h"

#include <QAction>
#include <QHBoxLayout>
#include <QPainter>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/look/theme.h"

namespace imprimo::app {

ConsoleStrip::ConsoleStrip(ConsoleModel& model) : model_(model) {
  setObjectName("consoleStrip");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 6, 14, 4);
  column->setSpacing(2);
  auto* row = new QHBoxLayout;
  row->setSpacing(14);
  auto* title = new QLabel(tr("Console"), this);
  title->setFont(textFont(12, QFont::DemiBold));
  state_ = mutedLabel(this, {});
  state_->setObjectName("consoleStripState");
  state_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  row->addWidget(title);
  row->addWidget(state_, 1);
  column->addLayout(row);
  auto* list = new ConsoleList(model_, this);
  list->setObjectName("consoleStripList");
  constexpr int kHeight = 98;  // five lines
  list->setFixedHeight(kHeight);
  column->addWidget(list);
  const auto refresh = [this] { state_->setText(model_.state()); };
  connect(&model_, &ConsoleModel::changed, this, refresh);
  refresh();
}

void ConsoleStrip::setCloser(QAction* close) {
  auto* button = smallButton(this, QString::fromUtf8("×"), tr("Take the console away from here"));
  button->setObjectName("consoleStripClose");
  static_cast<QHBoxLayout*>(layout()->itemAt(0)->layout())->addWidget(button);
  connect(button, &QToolButton::clicked, close, &QAction::trigger);
}

void ConsoleStrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setPen(Theme::current().line);
  painter.drawLine(0, 0, width(), 0);
}

}  // namespace imprimo::app
