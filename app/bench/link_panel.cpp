// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/link_panel.h"

#include <QHBoxLayout>
#include <QVBoxLayout>
#include <cmath>

#include "app/look/elided_label.h"
#include "app/look/small_widgets.h"
#include "app/look/theme.h"

namespace imprimo::app {
namespace {

constexpr std::uint32_t kWaitSeconds = 60;

}  // namespace

LinkPanel::LinkPanel(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("card");
  setAccessibleName(tr("Link evidence"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 10, 12, 10);
  column->setSpacing(5);
  heading_ = new QLabel(this);
  heading_->setFont(textFont(13, QFont::DemiBold));
  words_ = new QLabel(this);
  words_->setObjectName("linkWords");
  words_->setWordWrap(true);
  words_->setProperty("role", "muted");
  words_->setFont(textFont(12));
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::LinksAccessibleByKeyboard);
  rows_ = new QVBoxLayout;
  rows_->setSpacing(3);
  plot_ = new ClockPlot(bench_, this);
  clockWords_ = new QLabel(this);
  clockWords_->setObjectName("clockWords");
  clockWords_->setWordWrap(true);
  clockWords_->setProperty("role", "muted");
  clockWords_->setFont(textFont(11));
  again_ = button("reconnectButton");
  wait_ = button("waitButton");
  find_ = button("findClockButton");
  use_ = button("useClockButton");
  column->addWidget(heading_);
  column->addWidget(words_);
  column->addLayout(rows_);
  column->addWidget(plot_);
  column->addWidget(clockWords_);
  for (QPushButton* b : {again_, wait_, use_, find_}) column->addWidget(b);
  connect(again_, &QPushButton::clicked, bench_.reconnectAction, &QAction::trigger);
  connect(wait_, &QPushButton::clicked, this, [this] {
    if (bench_.link().waitLeft()) {
      bench_.disconnectAction->trigger();
    } else {
      bench_.link().connectTo(bench_.link().address(), kWaitSeconds);
    }
  });
  connect(find_, &QPushButton::clicked, this,
          [this] { bench_.clock().isRunning() ? bench_.session().stop() : bench_.clock().find(); });
  connect(use_, &QPushButton::clicked, &bench_.clock(), &ClockSearch::useSuggested);
  connect(&bench_, &Workbench::linkChanged, this, &LinkPanel::refresh);
  connect(&bench_, &Workbench::memoryChanged, this, &LinkPanel::refresh);
  connect(&bench_, &Workbench::clockChanged, this, &LinkPanel::refreshClock);
  connect(&bench_, &Workbench::runChanged, this, &LinkPanel::refreshClock);
  refresh();
}

QPushButton* LinkPanel::button(const char* name) {
  auto* b = new QPushButton(this);
  b->setObjectName(name);
  b->setProperty("role", "quiet");
  b->setFont(textFont(12, QFont::DemiBold));
  return b;
}

void LinkPanel::row(const QString& what, const QString& value, bool good) {
  found_.push_back({what, value.simplified(), good});
}

/// Lays the rows only where they say something else: readers would hear of each.
void LinkPanel::layRows() {
  if (found_ == laid_) return;
  laid_ = found_;
  while (QLayoutItem* item = rows_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  // Each line by itself: a long figure beside a short name has all the room that is left.
  for (const Row& each : laid_) {
    auto* row = new QWidget(this);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* figure = new ElidedLabel(row);
    figure->setProperty("role", each.good ? "agrees" : "differs");
    figure->setFont(textFont(12, QFont::DemiBold));
    figure->setAlignment(Qt::AlignRight);
    figure->setWhole(each.value);
    line->addWidget(mutedLabel(row, each.what));
    line->addWidget(figure, 1);
    rows_->addWidget(row);
  }
}

void LinkPanel::refresh() {
  found_.clear();
  const bool linked = bench_.link().state() == LinkState::Connected && bench_.link().report();
  words_->setVisible(!linked);
  const auto& report = bench_.link().report();
  const bool broken = report && report->broken;
  const bool mayAgain = !linked && bench_.link().state() != LinkState::Connecting &&
                        !bench_.link().address().isEmpty() && bench_.document().isOpen();
  again_->setVisible(mayAgain);
  again_->setText(tr("Look again"));
  wait_->setVisible((mayAgain && broken) || bench_.link().waitLeft());
  wait_->setText(bench_.link().waitLeft() ? tr("Stop waiting") : tr("Wait %1 s for the target").arg(kWaitSeconds));
  linked ? tellEvidence() : tellTrouble();
  layRows();
  refreshClock();
}

void LinkPanel::tellTrouble() {
  switch (bench_.link().state()) {
    case LinkState::Connecting:
      heading_->setText(bench_.link().waitLeft()
                            ? tr("Waiting for the target: %1 s left").arg(std::ceil(*bench_.link().waitLeft()))
                            : tr("Looking …"));
      words_->setText(bench_.link().waitLeft() ? tr("The probe is there; power and chain are not yet.")
                                               : tr("Asking %1 for its parts.").arg(bench_.link().address()));
      return;
    case LinkState::Mismatch:
      heading_->setText(tr("Not the sheet's chain"));
      words_->setText(sentence(bench_.link().problem().section('\n', 0, 0)) + ". " +
                      tr("Nothing is written to this board. Is it the right one, and the right revision?"));
      return;
    default:
      heading_->setText(bench_.link().report() && bench_.link().report()->broken ? tr("The chain does not answer")
                                                                                 : tr("Nothing connected"));
      words_->setText(bench_.link().problem().isEmpty()
                          ? tr("No probe was chosen yet. Press Ctrl+K to see those that are there, "
                               "or give an address such as tcp:localhost:4711.")
                          : sentence(bench_.link().problem()));
  }
}

void LinkPanel::tellEvidence() {
  const auto& report = bench_.link().report();
  heading_->setText(tr("Link check"));
  if (report->link.sent > 0) {
    row(tr("chain pattern"), tr("%1 of %2").arg(report->link.whole).arg(report->link.sent),
        report->link.whole == report->link.sent);
  }
  const auto found = report->memories.find(bench_.memory());
  if (found != report->memories.end()) {
    for (const memory::Evidence& e : found->second.evidence)
      row(QString::fromStdString(e.what), QString::fromStdString(e.found), e.good);
  } else if (!bench_.memory().empty()) {
    const bool away = report->unloaded.contains(bench_.memory());
    const auto core = report->cores.find(coreOfMemory(bench_));
    const bool locked = core != report->cores.end() && core->second.locked;
    row(QString::fromStdString(bench_.memory()),
        away     ? tr("bridge not loaded")
        : locked ? tr("closed")
                 : tr("does not answer"),
        away);
  }
  tellCore();
  row(tr("clock"), QString("%1 MHz").arg(report->clockHz / 1e6), true);
}

/// Of a core's memory: what the core does, and where.
void LinkPanel::tellCore() {
  const auto& report = bench_.link().report();
  const auto core = report->cores.find(coreOfMemory(bench_));
  if (core == report->cores.end()) return;
  if (core->second.locked) return row(tr("state"), tr("locked"), false);
  if (core->second.notStarted) return row(tr("state"), tr("not started"), true);
  const debug::CoreWatch* watch = bench_.link().watched(core->first);
  const bool trouble = watch != nullptr ? !watch->fine() : core->second.fault.has_value();
  const QString state = watch != nullptr ? debug::nameOf(watch->verdict) : debug::nameOf(core->second.state);
  row(tr("state"), watch == nullptr && trouble ? tr("fault") : state, !trouble);
  std::optional<std::uint32_t> at = core->second.pc;
  if (watch != nullptr && !watch->places.empty()) at = watch->places.front().pc;
  if (!at) return;
  const std::string symbol = symbols_.of(bench_).text(*at);
  row(tr("mostly at"), symbol.empty() ? QString("0x%1").arg(*at, 8, 16, QChar('0')) : QString::fromStdString(symbol),
      !trouble);
}

void LinkPanel::refreshClock() {
  const bool linked = bench_.link().state() == LinkState::Connected && bench_.link().report();
  const bool tried = linked && !bench_.clock().samples().empty();
  plot_->setVisible(tried);
  const auto& found = bench_.clock().found();
  clockWords_->setVisible(tried);
  QString words = bench_.clock().isRunning() ? tr("Sending patterns at rising clocks …") : QString();
  if (found) words = sentence(QString::fromStdString(found->chain.why)) + ".";
  if (found && found->memories.contains(bench_.memory())) {
    const bench::MemoryClock& own = found->memories.at(bench_.memory());
    if (own.problem.empty() && own.suggested < found->chain.suggested) {
      words += " " + tr("%1 works up to %2 MHz: %3.")
                         .arg(QString::fromStdString(bench_.memory()))
                         .arg(own.suggested / 1e6)
                         .arg(QString::fromStdString(own.why));
    }
  }
  clockWords_->setText(words);
  // The search sends patterns through a chain.
  find_->setVisible(linked && !bench_.run().isRunning() && !bench_.document().sheet().onlySwd());
  find_->setText(bench_.clock().isRunning() ? tr("Stop")
                 : found                    ? tr("Try the clocks again")
                                            : tr("Find the fastest clock"));
  const bool useful =
      linked && found && found->chain.suggested != 0 && found->chain.suggested != bench_.link().report()->clockHz;
  use_->setVisible(useful && !bench_.run().isRunning());
  if (useful) use_->setText(tr("Use %1 MHz").arg(found->chain.suggested / 1e6));
}

}  // namespace imprimo::app
