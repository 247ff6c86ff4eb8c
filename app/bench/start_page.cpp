// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/start_page.h"

#include <QFileInfo>
#include <QFrame>
#include <QSettings>
#include <QShowEvent>

#include "app/look/empty_layout.h"
#include "app/look/small_widgets.h"

namespace imprimo::app {
namespace {

constexpr int kWidth = 620;
constexpr int kMostSheets = 4;

QLabel* line(QVBoxLayout* column, const QString& text, const char* role = "") {
  auto* label = new QLabel(text);
  label->setFont(textFont(13));
  label->setWordWrap(true);
  if (*role != '\0') label->setProperty("role", role);
  column->addWidget(label);
  return label;
}

}  // namespace

StartPage::StartPage(Workbench& bench, QAction* openSheet, QAction* startSheet, QWidget* parent)
    : QWidget(parent), bench_(bench), open_(openSheet), start_(startSheet) {
  setObjectName("page");
  auto* outer = new QHBoxLayout(this);
  outer->addStretch(1);
  auto* column = new QVBoxLayout;
  column->setSpacing(14);
  outer->addLayout(column);
  outer->addStretch(1);
  column->addStretch(2);
  auto* title = new QLabel(tr("No job sheet is open"), this);
  title->setFont(textFont(20, QFont::DemiBold));
  column->addWidget(title);
  auto* words =
      mutedLabel(this, tr("A job sheet says which devices are on the chain, which memories are reached through "
                          "them, and which file goes where. A sheet can also be dropped here."));
  words->setWordWrap(true);
  words->setFixedWidth(kWidth);
  column->addWidget(words);
  QVBoxLayout* plugged = nullptr;
  column->addWidget(block(tr("What is plugged in"), plugged));
  probes_ = new QVBoxLayout;
  probes_->setSpacing(6);
  plugged->addLayout(probes_);
  elsewhere_ = button(plugged, tr("Type an address…"), "startFromConnected");
  connect(elsewhere_, &QPushButton::clicked, start_, &QAction::trigger);
  column->addWidget(block(tr("Sheets"), sheets_));
  if (bench_.canOpenDemo()) {
    QVBoxLayout* demo = nullptr;
    column->addWidget(block(tr("The demo"), demo));
    line(demo, tr("A river gauge logger, simulated in this program: three devices, a configuration flash, and a new "
                  "release to write into it. Nothing has to be plugged in."));
    connect(button(demo, tr("Open the demo"), "openDemo"), &QPushButton::clicked, &bench_, &Workbench::demoRequested);
  }
  column->addStretch(3);
  connect(&bench_.session(), &BenchSession::probesListed, this, &StartPage::fillProbes);
  line(probes_, tr("Looking …"), "muted");
  fillSheets();
}

QFrame* StartPage::block(const QString& title, QVBoxLayout*& inside) {
  auto* card = new QFrame(this);
  card->setObjectName("card");
  card->setFixedWidth(kWidth);
  auto* column = new QVBoxLayout(card);
  column->setContentsMargins(16, 12, 16, 12);
  column->setSpacing(8);
  auto* heading = new QLabel(title, card);
  heading->setFont(textFont(14, QFont::DemiBold));
  column->addWidget(heading);
  inside = new QVBoxLayout;
  inside->setSpacing(6);
  column->addLayout(inside);
  return card;
}

QPushButton* StartPage::button(QVBoxLayout* column, const QString& text, const char* name) {
  auto* push = firmButton(this, name);
  push->setText(text);
  auto* row = new QHBoxLayout;
  row->addWidget(push);
  row->addStretch(1);
  column->addLayout(row);
  return push;
}

void StartPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  fillSheets();
  bench_.session().listProbes();
}

void StartPage::fillProbes(const probe::ProbeListing& listing) {
  emptyLayout(probes_);
  bool usable = false;
  for (const probe::ProbeEntry& entry : listing.probes) {
    const QString name = QString::fromStdString(entry.product.empty() ? entry.address : entry.product);
    const QString what = QString::fromStdString(entry.what);
    line(probes_,
         (entry.usable() ? "●  " : "○  ") + tr("%1 (%2): %3").arg(name, QString::fromStdString(entry.address), what),
         entry.usable() ? "agrees" : "differs");
    if (!entry.usable()) {
      if (!entry.remedy.empty()) line(probes_, QString::fromStdString(entry.remedy), "muted");
      continue;
    }
    usable = true;
    const QString address = QString::fromStdString(entry.address);
    connect(button(probes_, tr("Look at what is connected to it"), "exploreProbe"), &QPushButton::clicked, this,
            [this, address] { emit bench_.exploreRequested(address); });
  }
  if (listing.probes.empty())
    line(probes_, sentence(QString::fromStdString(listing.nothingFound())) + ".", "muted")->setObjectName("noProbe");
  if (!usable)
    line(probes_, tr("One that is plugged in appears here by itself; one elsewhere has an address."), "muted");
  elsewhere_->setText(usable ? tr("Use another probe…") : tr("Type an address…"));
}

void StartPage::fillSheets() {
  emptyLayout(sheets_);
  QStringList recent = QSettings().value("recentSheets").toStringList();
  recent.erase(
      std::remove_if(recent.begin(), recent.end(), [](const QString& path) { return !QFileInfo::exists(path); }),
      recent.end());
  for (const QString& path : recent.mid(0, kMostSheets)) {
    auto* open = button(sheets_, QFileInfo(path).fileName(), "recentSheet");
    open->setToolTip(path);
    connect(open, &QPushButton::clicked, this, [this, path] { emit bench_.openRequested(path); });
  }
  if (recent.isEmpty()) line(sheets_, tr("None was open yet on this computer."), "muted");
  connect(button(sheets_, tr("Open a sheet…   Ctrl+O"), "openSheet"), &QPushButton::clicked, open_, &QAction::trigger);
}

}  // namespace imprimo::app
