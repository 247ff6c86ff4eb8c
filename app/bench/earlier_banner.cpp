// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/earlier_banner.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/look/theme.h"

namespace imprimo::app {

EarlierBanner::EarlierBanner(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("earlierBanner");
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(14, 8, 10, 8);
  row->setSpacing(14);
  auto* texts = new QVBoxLayout;
  texts->setSpacing(2);
  title_ = new QLabel(this);
  title_->setObjectName("earlierTitle");
  title_->setFont(textFont(13, QFont::DemiBold));
  title_->setTextFormat(Qt::PlainText);
  words_ = new QLabel(this);
  words_->setObjectName("earlierWords");
  words_->setFont(textFont(12));
  words_->setTextFormat(Qt::PlainText);
  words_->setWordWrap(true);
  texts->addWidget(title_);
  texts->addWidget(words_);
  finish_ = new QPushButton(tr("Finish it now"), this);
  finish_->setObjectName("finishEarlierNow");
  finish_->setProperty("role", "quiet");
  finish_->setFont(textFont(12, QFont::DemiBold));
  finish_->setToolTip(tr("Puts back what the unfinished run left, and nothing else"));
  row->addLayout(texts, 1);
  row->addWidget(finish_, 0, Qt::AlignVCenter);
  connect(finish_, &QPushButton::clicked, &bench_.run(), &RunModel::finishEarlier);
  for (const auto signal : {&Workbench::earlierChanged, &Workbench::memoryChanged, &Workbench::linkChanged,
                            &Workbench::runChanged, &Workbench::sheetChanged}) {
    connect(&bench_, signal, this, &EarlierBanner::refresh);
  }
  refresh();
}

void EarlierBanner::refresh() {
  const QStringList runs = bench_.run().earlierRuns();
  setVisible(!runs.isEmpty() && bench_.link().state() == LinkState::Connected && !bench_.atDevice());
  if (runs.isEmpty()) return;
  title_->setText(tr("Unfinished work on %1").arg(QString::fromStdString(bench_.memory())));
  QStringList sentences;
  for (const QString& run : runs) sentences += sentence(run);
  words_->setText(sentences.join('\n') + "\n" + tr("It is finished before anything else is written."));
  finish_->setEnabled(!bench_.run().isRunning());
}

}  // namespace imprimo::app
