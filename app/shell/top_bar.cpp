// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/top_bar.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QStyleOption>

#include "app/look/tab_button.h"
#include "app/look/theme.h"

namespace imprimo::app {
namespace {

constexpr int kLeastTitle = 90;

}  // namespace

TopBar::TopBar(Workbench& bench, const QList<QAction*>& views, QMenu* sheetMenu, QAction* probes, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName("topBar");
  setFixedHeight(measure::kTopBar);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(18, 0, 14, 0);
  row->setSpacing(16);
  auto* name = new QLabel("imprimo", this);
  name->setProperty("role", "brand");
  name->setFont(textFont(17, QFont::Bold));
  sheet_ = new QToolButton(this);
  sheet_->setObjectName("title");
  sheet_->setFont(textFont(13, QFont::DemiBold));
  sheet_->setMenu(sheetMenu);
  sheet_->setPopupMode(QToolButton::InstantPopup);
  sheet_->setMinimumWidth(kLeastTitle);
  probe_ = new QToolButton(this);
  probe_->setObjectName("pill");
  probe_->setMinimumWidth(kLeastTitle);
  probe_->setFont(textFont(12));
  probe_->setAccessibleDescription(probes->text());
  connect(probe_, &QToolButton::clicked, probes, &QAction::trigger);
  row->addWidget(name);
  for (QAction* view : views) {
    auto* tab = new TabButton(view->text(), this);
    tab->setObjectName("tab");
    tab->setFont(textFont(14));
    tab->setCheckable(true);
    tab->setChecked(view->isChecked());
    tab->setToolTip(view->shortcut().toString());
    connect(tab, &TabButton::clicked, view, &QAction::trigger);
    connect(view, &QAction::toggled, tab, &TabButton::setChecked);
    row->addWidget(tab);
  }
  row->addStretch(1);
  row->addWidget(sheet_);
  row->addStretch(1);
  row->addWidget(probe_);
  connect(&bench_, &Workbench::sheetChanged, this, &TopBar::refresh);
  connect(&bench_, &Workbench::settingsChanged, this, &TopBar::refresh);
  connect(&bench_, &Workbench::linkChanged, this, &TopBar::refresh);
  connect(&bench_.keeping(), &SheetKeeping::unsavedChanged, this, &TopBar::refresh);
  refresh();
}

void TopBar::refresh() {
  const auto& document = bench_.document();
  QString title = tr("No job sheet");
  if (document.isOpen()) {
    title = QString::fromStdString(document.sheet().title.empty() ? document.sheet().path.filename().string()
                                                                  : document.sheet().title);
    const QString file = QString::fromStdString(document.sheet().path.filename().string());
    title += bench_.keeping().isUnsaved()
                 ? (file.isEmpty() ? tr("  ·  never saved") : tr("  ·  %1, not saved").arg(file))
                 : "  ·  " + file;
  }
  title_ = title;
  sheet_->setAccessibleName(tr("Job sheet: %1").arg(title));

  QString probe = tr("○  no probe");
  const auto& report = bench_.link().report();
  switch (bench_.link().state()) {
    case LinkState::Connecting:
      probe = bench_.link().waitLeft() ? tr("◌  waiting for the target") : tr("◌  looking …");
      break;
    case LinkState::Connected:
      probe = tr("●  %1   %2 %3 MHz")
                  .arg(QString::fromStdString(report->probe.product),
                       bench_.document().sheet().onlySwd() ? QStringLiteral("SWD") : QStringLiteral("JTAG"))
                  .arg(report->clockHz / 1e6);
      break;
    case LinkState::Mismatch:
      probe = tr("▲  %1   not the sheet's chain").arg(QString::fromStdString(report->probe.product));
      break;
    case LinkState::NotConnected:
      if (report && report->broken)
        probe = tr("△  %1   the chain does not answer").arg(QString::fromStdString(report->probe.product));
      break;
  }
  probeText_ = probe;
  probe_->setAccessibleName(tr("Probe: %1").arg(probe.mid(3)));
  fitTitle();
}

/// Title and probe in the room that the tabs leave: the title gives way first, to half of it.
void TopBar::fitTitle() {
  int others = layout()->contentsMargins().left() + layout()->contentsMargins().right();
  for (int i = 0; i < layout()->count(); ++i) {
    const QLayoutItem* item = layout()->itemAt(i);
    others += layout()->spacing();
    if (item->widget() != nullptr && item->widget() != sheet_ && item->widget() != probe_)
      others += item->sizeHint().width();
  }
  constexpr int kSides = 40;  // of a button, with its arrow
  const int room = std::max(2 * kLeastTitle, width() - others) - 2 * kSides;
  const QFontMetrics title(sheet_->font()), probe(probe_->font());
  const int wantsProbe = probe.horizontalAdvance(probeText_) + 2;
  const int forProbe = std::min(wantsProbe, std::max(room / 2, room - title.horizontalAdvance(title_) - 2));
  probe_->setText(probe.elidedText(probeText_, Qt::ElideRight, forProbe) + "  ▾");
  sheet_->setText(title.elidedText(title_, Qt::ElideMiddle, room - forProbe) + "  ▾");
  sheet_->setToolTip(title_);
  probe_->setToolTip(probeText_);
}

void TopBar::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  fitTitle();
}

void TopBar::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  QStyleOption option;
  option.initFrom(this);
  style()->drawPrimitive(QStyle::PE_Widget, &option, &painter, this);  // the style sheet's background
}

}  // namespace imprimo::app
