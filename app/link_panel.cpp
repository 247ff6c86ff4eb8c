// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/link_panel.h"

#include <QVBoxLayout>

#include "app/theme.h"

namespace imprimo::app {

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
  rows_ = new QGridLayout;
  rows_->setVerticalSpacing(3);
  column->addWidget(heading_);
  column->addWidget(words_);
  column->addLayout(rows_);
  connect(&bench_, &Workbench::linkChanged, this, &LinkPanel::refresh);
  connect(&bench_, &Workbench::memoryChanged, this, &LinkPanel::refresh);
  refresh();
}

void LinkPanel::row(const QString& what, const QString& value, bool good) {
  const int at = rows_->rowCount();
  auto* name = new QLabel(what, this);
  name->setProperty("role", "muted");
  name->setFont(textFont(12));
  auto* figure = new QLabel(value, this);
  figure->setProperty("role", good ? "agrees" : "differs");
  figure->setFont(textFont(12, QFont::DemiBold));
  figure->setAlignment(Qt::AlignRight);
  rows_->addWidget(name, at, 0);
  rows_->addWidget(figure, at, 1);
}

void LinkPanel::refresh() {
  while (QLayoutItem* item = rows_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  const auto& report = bench_.report();
  const bool linked = bench_.link() == LinkState::Connected && report;
  words_->setVisible(!linked);
  if (!linked) {
    switch (bench_.link()) {
      case LinkState::Connecting:
        heading_->setText(tr("Looking …"));
        words_->setText(tr("Asking %1 for its parts.").arg(bench_.address()));
        break;
      case LinkState::Mismatch:
        heading_->setText(tr("Not the sheet's chain"));
        words_->setText(sentence(bench_.linkProblem().section('\n', 0, 0)) + ". " +
                        tr("Nothing is written to this board. Is it the right one, and the right revision?"));
        break;
      default:
        heading_->setText(tr("Nothing connected"));
        words_->setText(bench_.linkProblem().isEmpty()
                            ? tr("No probe was named yet. Press Ctrl+K and give its address, "
                                 "for example tcp:localhost:4711.")
                            : sentence(bench_.linkProblem()));
    }
    return;
  }
  heading_->setText(tr("Is the link sound?"));
  row(tr("chain pattern"), tr("%1 of %2").arg(report->link.whole).arg(report->link.sent),
      report->link.whole == report->link.sent);
  const auto found = report->memories.find(bench_.memory());
  if (found != report->memories.end()) {
    const memory::FlashIdentity& id = found->second;
    row(tr("flash ID"), QString("%1  ·  %2 reads").arg(QString::fromStdString(id.id.text())).arg(id.idReadsEqual),
        id.idReadsEqual == id.idReads);
    row(tr("parameter table"), id.sfdp ? tr("signature right") : tr("none, by its card"), true);
  } else if (!bench_.memory().empty()) {
    row(QString::fromStdString(bench_.memory()), tr("does not answer"), false);
  }
  row(tr("clock"), QString("%1 MHz").arg(report->clockHz / 1e6), true);
}

}  // namespace imprimo::app
