// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/outside_banner.h"

#include <QHBoxLayout>

#include "app/look/small_widgets.h"

namespace imprimo::app {

OutsideBanner::OutsideBanner(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("outsideBanner");
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(16, 8, 12, 8);
  row->setSpacing(14);
  auto* texts = new QVBoxLayout;
  texts->setSpacing(2);
  title_ = new QLabel(this);
  title_->setFont(textFont(13, QFont::DemiBold));
  title_->setTextFormat(Qt::PlainText);
  words_ = new QLabel(this);
  words_->setObjectName("outsideWords");
  words_->setFont(byteFont(12));
  words_->setTextFormat(Qt::PlainText);
  words_->setWordWrap(true);
  texts->addWidget(title_);
  texts->addWidget(words_);
  take_ = firmButton(this, "takeOutside");
  take_->setProperty("role", "quiet");
  take_->setText(tr("Take the file's"));
  auto* keep = firmButton(this, "keepMine");
  keep->setProperty("role", "quiet");
  keep->setText(tr("Keep what is here"));
  row->addLayout(texts, 1);
  row->addWidget(take_, 0, Qt::AlignVCenter);
  row->addWidget(keep, 0, Qt::AlignVCenter);
  connect(take_, &QPushButton::clicked, &bench_.keeping(), &SheetKeeping::takeOutside);
  connect(keep, &QPushButton::clicked, &bench_.keeping(), &SheetKeeping::keepMine);
  connect(&bench_.keeping(), &SheetKeeping::outsideChanged, this, &OutsideBanner::refresh);
  connect(&bench_, &Workbench::runChanged, this, &OutsideBanner::refresh);
  refresh();
}

void OutsideBanner::refresh() {
  constexpr qsizetype kMost = 4;
  const QStringList& differences = bench_.keeping().outside();
  setVisible(!differences.isEmpty());
  if (differences.isEmpty()) return;
  const QString file = QString::fromStdString(bench_.document().sheet().path.filename().string());
  title_->setText(
      bench_.document().isModified()
          ? tr("%1 was changed by another program, and there are changes here that are in no file").arg(file)
          : tr("%1 was changed by another program").arg(file));
  QStringList lines = differences.mid(0, kMost);
  if (differences.size() > kMost) lines += tr("… and %1 more").arg(differences.size() - kMost);
  words_->setText(lines.join('\n'));
  take_->setEnabled(bench_.keeping().canTakeOutside() && !bench_.run().isRunning());
}

}  // namespace imprimo::app
