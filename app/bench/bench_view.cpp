// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/bench_view.h"

#include "app/bench/core_findings.h"
#include "app/bench/core_lock_card.h"

#include <QHBoxLayout>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/bench/adding_page.h"
#include "app/bench/earlier_banner.h"
#include "app/bench/erase_panel.h"
#include "app/bench/goes_in_panel.h"
#include "app/bench/link_panel.h"
#include "app/bench/memory_menu.h"
#include "app/bench/position_bar.h"
#include "app/bench/start_page.h"
#include "app/bench/steps_panel.h"
#include "app/device/device_page.h"
#include "app/device/device_panel.h"
#include "app/look/tab_button.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

QLabel* heading(const QString& text, int pixels, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setFont(textFont(pixels, QFont::DemiBold));
  return label;
}

ElidedLabel* elided(QWidget* parent) {
  auto* label = new ElidedLabel(parent);
  label->setProperty("role", "muted");
  label->setFont(textFont(12));
  return label;
}

QScrollArea* scrolling(QWidget* inside, int width) {
  auto* area = new QScrollArea;
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  area->setFixedWidth(width);
  area->setWidget(inside);
  area->viewport()->setAutoFillBackground(false);
  inside->setAutoFillBackground(false);
  area->setFocusPolicy(Qt::NoFocus);
  return area;
}

}  // namespace

BenchView::BenchView(Workbench& bench, QAction* openAction, QAction* startAction, QWidget* parent)
    : QStackedWidget(parent), bench_(bench) {
  addWidget(new StartPage(bench_, openAction, startAction));
  addWidget(benchPage());
  connect(&bench_, &Workbench::sheetChanged, this, [this] {
    setCurrentIndex(bench_.document().isOpen() ? 1 : 0);
    if (!bench_.document().isOpen() || bench_.isRebuilding()) return;
    // A sheet that is being made is made on the rail.
    (bench_.document().isNew() && bench_.memory().empty() ? static_cast<QWidget*>(rail_) : map_)->setFocus();
  });
  for (const auto signal :
       {&Workbench::sheetChanged, &Workbench::linkChanged, &Workbench::memoryChanged, &Workbench::looksChanged}) {
    connect(&bench_, signal, this, &BenchView::refreshHeads);
  }
  keysDuringRuns();
  refreshHeads();
}

QWidget* BenchView::benchPage() {
  auto* page = new QWidget(this);
  page->setObjectName("page");
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(16, 12, 14, 10);
  column->setSpacing(10);
  column->addWidget(new EarlierBanner(bench_, page));
  auto* row = new QHBoxLayout;
  row->setSpacing(18);
  column->addLayout(row, 1);
  left_ = leftColumn();
  row->addWidget(left_);
  row->addWidget(middleColumn(), 1);
  row->addWidget(rightColumn());
  return page;
}

QWidget* BenchView::leftColumn() {
  auto* left = new QWidget(this);
  left->setFixedWidth(measure::kRailWidth + 8);
  auto* column = new QVBoxLayout(left);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  chainHeading_ = heading(tr("Chain"), 14, left);
  head->addWidget(chainHeading_);
  head->addStretch(1);
  chainFigure_ = new QLabel(left);
  chainFigure_->setFont(textFont(12, QFont::DemiBold));
  head->addWidget(chainFigure_);
  column->addLayout(head);
  rail_ = new ChainRail(bench_);
  column->addWidget(scrolling(rail_, measure::kRailWidth + 8), 1);
  column->addWidget(new LinkPanel(bench_, left));
  return left;
}

QWidget* BenchView::middleColumn() {
  middle_ = new QStackedWidget(this);
  middle_->addWidget(memoryPage());
  middle_->addWidget(bridgePage());
  middle_->addWidget(new DevicePage(bench_));
  middle_->addWidget(new AddingPage(bench_));
  return middle_;
}

/// A memory that cannot be reached yet, because the part in front of it is no bridge.
QWidget* BenchView::bridgePage() {
  auto* page = new QFrame(this);
  page->setObjectName("card");
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(60, 20, 60, 20);
  column->addStretch(2);
  bridgeWords_ = new QLabel(page);
  bridgeWords_->setObjectName("bridgeWords");
  bridgeWords_->setWordWrap(true);
  bridgeWords_->setTextFormat(Qt::RichText);
  bridgeWords_->setFont(textFont(14));
  bridgeWords_->setAlignment(Qt::AlignCenter);
  column->addWidget(bridgeWords_);
  column->addSpacing(14);
  auto* load = new QPushButton(page);
  load->setObjectName("loadBridge");
  load->setProperty("role", "main");
  connect(bench_.bridgeAction, &QAction::changed, load, [this, load] {
    load->setText(bench_.bridgeAction->text());
    load->setEnabled(bench_.bridgeAction->isEnabled());
  });
  connect(load, &QPushButton::clicked, bench_.bridgeAction, &QAction::trigger);
  column->addWidget(load, 0, Qt::AlignCenter);
  column->addStretch(3);
  return page;
}

QWidget* BenchView::memoryPage() {
  auto* middle = new QWidget(this);
  auto* column = new QVBoxLayout(middle);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  memoryName_ = heading({}, 16, middle);
  memoryFigure_ = elided(middle);
  memoryFigure_->setObjectName("memoryFigure");
  halves_ = elided(middle);
  halves_->setWhole(tr("upper half planned, lower half on the part"));
  head->addWidget(memoryName_);
  head->addWidget(memoryFigure_);
  auto* more = new MemoryMenu(bench_, middle);
  head->addWidget(more);
  bridge_ = new QToolButton(middle);
  bridge_->setObjectName("bridgeAgain");
  bridge_->setText(tr("load the bridge"));
  bridge_->setFont(textFont(12));
  connect(bench_.bridgeAction, &QAction::changed, bridge_, [this] {
    bridge_->setToolTip(bench_.bridgeAction->text());
    bridge_->setEnabled(bench_.bridgeAction->isEnabled());
  });
  connect(bridge_, &QToolButton::clicked, bench_.bridgeAction, &QAction::trigger);
  head->addWidget(bridge_);
  head->addWidget(halves_, 1);
  halves_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  column->addLayout(head);
  map_ = new SectorMap(bench_.looks(), bench_.cursor(), middle);
  auto* byteCard = new QFrame(middle);
  byteCard->setObjectName("card");
  bytes_ = new ByteZip(bench_.looks(), bench_.cursor(), byteCard);
  auto* inCard = new QVBoxLayout(byteCard);
  inCard->setContentsMargins(2, 2, 2, 2);
  inCard->addWidget(bytes_);
  auto* position = new PositionBar(bench_, middle);
  column->addWidget(map_, 6);
  legend_ = new MapLegend(middle);
  column->addWidget(legend_);
  column->addWidget(new CoreFindings(bench_, middle));
  column->addWidget(new CoreLockCard(bench_, middle));
  column->addWidget(position);
  column->addWidget(byteCard, 5);

  connect(&bench_, &Workbench::looksChanged, map_, qOverload<>(&QWidget::update));
  connect(&bench_, &Workbench::looksChanged, bytes_->viewport(), qOverload<>(&QWidget::update));
  connect(&bench_, &Workbench::memoryChanged, map_, qOverload<>(&QWidget::update));
  connect(&bench_, &Workbench::memoryChanged, bytes_, &ByteZip::memoryChanged);
  connect(&bench_, &Workbench::runChanged, bytes_, [this] {
    if (!bench_.run().isRunning()) bench_.show(bytes_->visible());
  });
  connect(map_, &SectorMap::chosen, this, [this](const AddressRange& range) {
    if (bench_.choice().intent() == Intent::Erase) return bench_.choice().addEraseRange(range);
    if (!bench_.run().isRunning()) bench_.tasks().keepRange(range);
  });
  // The menu key, or a right click, on map and bytes.
  for (QWidget* each : std::initializer_list<QWidget*>{map_, bytes_}) {
    each->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(each, &QWidget::customContextMenuRequested, this,
            [each, more](const QPoint& at) { more->menu()->popup(each->mapToGlobal(at)); });
  }
  connect(bytes_, &ByteZip::typed, &bench_, &Workbench::typeByte);
  connect(bytes_, &ByteZip::shown, this, [this](const AddressRange& range) { bench_.show(range); });
  connect(position, &PositionBar::left, bytes_, qOverload<>(&QWidget::setFocus));
  connect(bench_.keepAction, &QAction::triggered, this, &BenchView::keepMarked);
  connect(&bench_, &Workbench::differenceReached, this, &BenchView::tellDifference);
  connect(position, &PositionBar::findRequested, this, [this](const Bytes& needle) {
    if (const auto found = bytes_->find(needle)) {
      bench_.cursor().jumpTo(*found);
      emit bench_.message(
          tr("Found at %1; Return goes to the next one.").arg(QString::fromStdString(hexAddress(*found))), false);
    } else {
      emit bench_.message(tr("Not found in what is planned, nor in what was read of the part."), true);
    }
  });
  return middle;
}

QWidget* BenchView::rightColumn() {
  right_ = new QStackedWidget(this);
  right_->addWidget(workColumn());
  right_->addWidget(new SheetSoFar(bench_, right_));
  right_->setFixedWidth(right_->widget(0)->sizeHint().width());
  connect(&bench_.ways(), &WayModel::changed, this, &BenchView::showSubject);
  return right_;
}

QWidget* BenchView::workColumn() {
  auto* right = new QWidget;
  auto* column = new QVBoxLayout(right);
  column->setContentsMargins(0, 0, 6, 0);
  column->setSpacing(10);
  tabs_ = new QWidget(right);
  auto* tabs = new QHBoxLayout(tabs_);
  tabs->setContentsMargins(0, 0, 0, 0);
  tabs->setSpacing(4);
  const auto tab = [&](const char* name, const QString& text, Intent intent) {
    auto* button = new QToolButton(right);
    makeOneOf(button);
    button->setObjectName(name);
    button->setText(text);
    button->setProperty("role", "choice");
    button->setFont(textFont(13, QFont::DemiBold));
    connect(button, &QToolButton::clicked, this, [this, intent] {
      bench_.choice().setIntent(intent);
      showIntent();
    });
    tabs->addWidget(button);
    return button;
  };
  writeTab_ = tab("writeIntent", tr("Write"), Intent::Write);
  eraseTab_ = tab("eraseIntent", tr("Erase"), Intent::Erase);
  tabs->addStretch(1);
  noErase_ = new QCheckBox(tr("without erasing"), right);
  noErase_->setObjectName("noErase");
  noErase_->setFont(textFont(12));
  noErase_->setToolTip(tr("A bit can then only go from 1 to 0; what cannot be written so is refused beforehand."));
  connect(noErase_, &QCheckBox::toggled, &bench_.choice(), &WriteChoice::setNoErase);
  tabs->addWidget(noErase_);
  column->addWidget(tabs_);
  device_ = new DevicePanel(bench_, right);
  column->addWidget(device_);
  goesIn_ = new GoesInPanel(bench_, right);
  goes_ = new ErasePanel(bench_, right);
  column->addWidget(goesIn_);
  column->addWidget(goes_);
  for (const auto signal : {&Workbench::memoryChanged, &Workbench::linkChanged, &Workbench::looksChanged})
    connect(&bench_, signal, this, &BenchView::showSubject);
  connect(&bench_, &Workbench::intentChanged, this, &BenchView::showIntent);
  connect(&bench_, &Workbench::runChanged, this, [this] {
    for (QAbstractButton* choice : std::initializer_list<QAbstractButton*>{writeTab_, eraseTab_, noErase_})
      choice->setEnabled(!bench_.run().isRunning());
  });
  connect(&bench_, &Workbench::sheetChanged, this, &BenchView::showIntent);
  showIntent();
  auto* steps = new StepsPanel(bench_, right);
  column->addWidget(steps, 1);
  auto* all = new QWidget(this);
  auto* outer = new QVBoxLayout(all);
  outer->setContentsMargins(0, 0, 0, 0);
  outer->addWidget(scrolling(right, measure::kRightWidth + 6), 1);
  outer->addWidget(steps->foot());
  return all;
}

void BenchView::showIntent() {
  const bool erase = bench_.choice().intent() == Intent::Erase;
  writeTab_->setChecked(!erase);
  eraseTab_->setChecked(erase);
  noErase_->setChecked(bench_.choice().noErase());
  noErase_->setVisible(!erase);
  const bool device = bench_.atDevice();
  tabs_->setVisible(!device);
  device_->setVisible(device);
  goesIn_->setVisible(!erase && !device);
  goes_->setVisible(erase && !device);
  map_->setChoosing(erase);
  legend_->explain(erase, bench_.looks().anyProtected(), bench_.looks().anyFromBefore());
}

/// What the middle shows: the memory, the way to it, or a part.
void BenchView::showSubject() {
  const auto bridge = bench_.neededBridge();
  const bool away = bridge && bench_.looks().empty();
  const bool adding = bench_.ways().position() != 0;
  middle_->setCurrentIndex(adding ? 3 : bench_.atDevice() ? 2 : away ? 1 : 0);
  right_->setCurrentIndex(adding ? 1 : 0);
  bridge_->setVisible(bridge.has_value());
  halves_->setVisible(!bridge);
  if (away) {
    const auto& memory = bench_.document().sheet().memory(bench_.memory());
    const sheet::Route& route = *memory.route;
    const QString device = QString::fromStdString(*bridge).toHtmlEscaped();
    const QString after =
        bench_.document().sheet().restartAfter ? tr(" After a run it starts again, as the sheet says.") : QString();
    bridgeWords_->setText(
        tr("<p><b>%1</b> is reached through %2, and no bridge answers there.</p>"
           "<p>Loading it (%3) takes a moment. <b>The design that runs in %2 stops then.</b>%4 Nothing is written.</p>")
            .arg(QString::fromStdString(memory.name).toHtmlEscaped(), device,
                 QString::fromStdString(*route.load).toHtmlEscaped(), after));
  }
  showIntent();
}

void BenchView::refreshHeads() {
  if (legend_ != nullptr)
    legend_->explain(bench_.choice().intent() == Intent::Erase, bench_.looks().anyProtected(),
                     bench_.looks().anyFromBefore());
  const auto& report = bench_.link().report();
  const std::size_t expected = bench_.document().sheet().chain.size();
  QString figure;
  const char* role = "muted";
  const bool onlyCores = bench_.document().sheet().onlySwd();
  chainHeading_->setText(onlyCores ? tr("Cores") : tr("Chain"));
  const std::size_t known = bench_.needs().known();
  if (!onlyCores && known < expected && !(report && report->broken)) {
    figure = tr("%1 of %2 known").arg(known).arg(expected);
  } else if (onlyCores) {
    const std::size_t cores = bench_.document().sheet().cores.size();
    const bool answer = report && !report->cores.empty();
    figure = answer ? tr("%1 of %2 answer").arg(report->cores.size()).arg(cores) : tr("%1 in the sheet").arg(cores);
    if (answer) role = "agrees";
  } else if (report && !report->rows.empty()) {
    const auto agree = std::count_if(report->rows.begin(), report->rows.end(), [](const auto& r) { return r.agrees; });
    figure = tr("%1 of %2 as expected").arg(agree).arg(std::max(expected, report->chain.devices.size()));
    role = report->matches ? "agrees" : "differs";
  } else if (report && report->broken) {
    figure = tr("%1 of %2 answer").arg(report->broken->nearTdo.size()).arg(expected);
    role = "differs";
  } else if (bench_.document().isOpen()) {
    figure = tr("%1 in the sheet").arg(expected);
  }
  chainFigure_->setText(figure);
  chainFigure_->setProperty("role", role);
  chainFigure_->style()->unpolish(chainFigure_);
  chainFigure_->style()->polish(chainFigure_);

  memoryName_->setText(QString::fromStdString(bench_.memory()));
  if (bench_.looks().empty()) {
    memoryFigure_->setWhole({});
    return;
  }
  const memory::Geometry& g = bench_.looks().geometry();
  const SectorGrid grid = map_->grid();
  QString words = QString("%1 · %2 blocks")
                      .arg(QString::fromStdString(sizeText(g.size)), QString::fromStdString(sizeText(g.blockSize())));
  if (grid.blocksPerTile > 1) words += tr(", %1 to a tile").arg(grid.blocksPerTile);
  if (bench_.looks().anyFromBefore()) words += tr(" · pale: from before");
  memoryFigure_->setWhole(words);
}

QList<QAction*> BenchView::actions() const {
  return {bench_.goAction,   bench_.confirmAction,  bench_.nextDifferenceAction, bench_.backAction, bench_.gotoAction,
          bench_.findAction, bench_.bookmarkAction, bench_.unbookmarkAction,     bench_.keepAction, bench_.undoAction,
          bench_.redoAction};
}

View* makeBenchView(const ViewContext& context, QWidget* parent) {
  return new BenchView(context.bench, context.openSheet, context.startSheet, parent);
}

}  // namespace imprimo::app
