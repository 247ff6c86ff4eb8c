// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/line_view.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <cmath>

#include "app/line/passphrase_dialog.h"
#include "app/line/release_dialog.h"
#include "core/base/number.h"
#include "core/base/user_folders.h"
#include "core/release/passphrase.h"
#include "records/ledger.h"

namespace imprimo::app {

LineView::LineView(const ViewContext& context, QWidget* parent)
    : QWidget(parent), bench_(context.bench), claim_(context.claim), desk_(new LineDesk(context.bench, this)) {
  setObjectName("page");
  setAccessibleName(tr("Line"));
  setFocusPolicy(Qt::StrongFocus);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  pages_ = new QStackedWidget(this);
  column->addWidget(pages_);
  setup_ = new LineSetup(bench_, *desk_, this);
  floor_ = makeFloor();
  pages_->addWidget(setup_);
  pages_->addWidget(floor_);
  unlock_ = new QAction(tr("Unlock the line…"), this);
  unlock_->setObjectName("lineUnlock");
  unlock_->setShortcut(QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_U));
  connect(unlock_, &QAction::triggered, this, &LineView::askUnlock);
  connect(setup_, &LineSetup::openWanted, this, &LineView::openDialog);
  connect(setup_, &LineSetup::makeWanted, this, &LineView::makeRelease);
  connect(setup_, &LineSetup::lockWanted, this, &LineView::askLock);
  connect(desk_, &LineDesk::changed, this, &LineView::refresh);
  connect(desk_, &LineDesk::countsChanged, this, &LineView::count);
  refresh();
}

LineView::~LineView() {
  for (AnswerCard* card : cards_) delete card;  // before their places go
}

QWidget* LineView::figure(const char* name, const QString& words, QLabel*& value) {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 24, 0);
  column->setSpacing(0);
  auto* label = mutedLabel(box, words);
  label->setFont(textFont(14));
  value = new QLabel(box);
  value->setObjectName(name);
  value->setAccessibleName(words);
  value->setFont(textFont(30, QFont::Bold));
  column->addWidget(label);
  column->addWidget(value);
  return box;
}

QWidget* LineView::makeFloor() {
  auto* floor = new QWidget(this);
  auto* column = new QVBoxLayout(floor);
  column->setContentsMargins(40, 16, 40, 10);
  column->setSpacing(12);
  auto* head = new QHBoxLayout;
  title_ = new QLabel(floor);
  title_->setObjectName("lineTitle");
  title_->setFont(textFont(15));
  title_->setTextFormat(Qt::PlainText);
  who_ = new QLabel(floor);
  who_->setObjectName("lineWho");
  who_->setFont(textFont(15));
  head->addWidget(title_, 1);
  head->addWidget(who_);
  column->addLayout(head);
  grid_ = new QGridLayout;
  grid_->setSpacing(10);
  column->addLayout(grid_, 1);
  auto* figures = new QHBoxLayout;
  figures->addWidget(figure("lineDone", tr("done today"), done_));
  figures->addWidget(figure("lineFailed", tr("failed"), failed_));
  figures->addWidget(figure("lineLeft", tr("left"), left_));
  figures->addWidget(figure("lineNext", tr("next number"), next_));
  figures->addWidget(figure("lineTakes", tr("a board takes"), takes_));
  figures->addStretch(1);
  end_ = firmButton(floor, "lineEnd");
  end_->setText(tr("End"));
  end_->setToolTip(tr("What goes on is left at its next safe place"));
  figures->addWidget(end_, 0, Qt::AlignBottom);
  connect(end_, &QPushButton::clicked, desk_, &LineDesk::end);
  column->addLayout(figures);
  marks_ = new UnitMarks(floor);
  column->addWidget(marks_);
  auto* foot = new QHBoxLayout;
  since_ = mutedLabel(floor, {});
  hint_ = mutedLabel(floor, {});
  hint_->setObjectName("lineHint");
  foot->addWidget(since_, 1);
  foot->addWidget(hint_);
  column->addLayout(foot);
  return floor;
}

void LineView::entered() {
  setup_->look();
  setFocus();
  if (desk_->isLocked() && !desk_->isWorking()) desk_->begin();
}

bool LineView::accepts(const QString& file) const {
  return file.endsWith(".imprimo-release");
}

void LineView::drop(const QString& file) {
  if (!desk_->isLocked()) desk_->open(file);
}

void LineView::refresh() {
  const bool working = desk_->isWorking();
  if (working != !cards_.empty()) layCards();
  pages_->setCurrentWidget(working ? floor_ : static_cast<QWidget*>(setup_));
  end_->setVisible(!desk_->isLocked());
  unlock_->setEnabled(desk_->isLocked());
  hint_->setText(desk_->isLocked() ? tr("Engineers: %1, with a passphrase.").arg(unlock_->shortcut().toString())
                                   : QString());
  who_->setText(desk_->operatorName());
  if (const release::Release* release = desk_->release()) {
    title_->setText(tr("%1  ·  release %2, signed by %3  ·  station %4%5")
                        .arg(QString::fromStdString(release->manifest.title))
                        .arg(release->manifest.number)
                        .arg(QString::fromStdString(release->signer.name),
                             QString::fromStdString(records::stationName()),
                             desk_->isLocked() ? tr("  ·  locked") : QString()));
  }
  count();
}

/// One place has the whole floor; several share it in equal columns, two rows of them from nine on.
void LineView::layCards() {
  for (AnswerCard* card : cards_) delete card;
  cards_.clear();
  for (int i = 0; i < grid_->columnCount(); ++i) grid_->setColumnStretch(i, 0);
  const auto& places = desk_->places();
  const int count = static_cast<int>(places.size());
  constexpr int kInARow = 8;
  const int across = count <= kInARow ? std::max(count, 1) : (count + 1) / 2;
  for (int i = 0; i < count; ++i) {
    auto* card = new AnswerCard(*places[static_cast<std::size_t>(i)], desk_->release()->manifest.line,
                                count > 1 ? i + 1 : 0, floor_);
    card->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Ignored);
    grid_->addWidget(card, i / across, i % across);
    grid_->setColumnStretch(i % across, 1);
    cards_.push_back(card);
    card->show();
  }
  setFocus();
}

void LineView::count() {
  const line::DayBook::Counts& counts = desk_->counts();
  done_->setText(QString::number(counts.good));
  failed_->setText(QString::number(counts.failed));
  const auto left = desk_->left();
  left_->parentWidget()->setVisible(left.has_value());
  if (left) left_->setText(QString::number(*left));
  next_->parentWidget()->setVisible(desk_->nextUnit() != 0);
  next_->setText(QString::number(desk_->nextUnit()));
  double seconds = 0;
  int good = 0;
  for (const line::DayBook::Entry& entry : counts.today) {
    if (!entry.good || entry.again) continue;
    seconds += entry.seconds;
    ++good;
  }
  takes_->parentWidget()->setVisible(good > 0);
  if (good > 0) takes_->setText(QString::fromStdString(durationText(seconds / good)));
  marks_->setEntries(counts.today);
  since_->setText(counts.today.empty() ? tr("nothing was done today")
                                       : tr("today, from %1 UTC  ·  one mark a board, tall and cut through: failed")
                                             .arg(QString::fromStdString(counts.today.front().at).mid(11, 5)));
}

/// A foot switch is a key: it does the one thing that can be done, at the first place where something can.
void LineView::keyPressEvent(QKeyEvent* event) {
  const bool key = event->key() == Qt::Key_Space || event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
  if (!key || event->isAutoRepeat()) return QWidget::keyPressEvent(event);
  for (AnswerCard* card : cards_) {
    if (!card->answer().canAct || card->place().phase() == line::Phase::Running) continue;
    return card->act();
  }
}

void LineView::openDialog() {
  const QString file =
      QFileDialog::getOpenFileName(this, tr("Open a release"), {}, tr("Releases (*.imprimo-release);;All files (*)"));
  if (!file.isEmpty()) desk_->open(file);
}

void LineView::makeRelease() {
  auto* dialog = new ReleaseDialog(bench_.document().sheet(), this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &QDialog::accepted, this, [this, dialog] { desk_->open(dialog->file()); });
  dialog->open();
}

void LineView::askLock() {
  auto* dialog = new PassphraseDialog(
      tr("Lock this station"), true,
      [this](const release::SecretText& passphrase) {
        desk_->lock(passphrase);
        claim_(true);
        desk_->begin();
      },
      {}, this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->open();
}

void LineView::askUnlock() {
  if (!desk_->isLocked()) return;
  auto* dialog = new PassphraseDialog(
      tr("Unlock this station"), false,
      [this](const release::SecretText& passphrase) {
        desk_->unlock(passphrase);
        claim_(false);
      },
      [] { return release::Tries(dataFolder() / "station-tries.json").wait(); }, this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->open();
}

View* makeLineView(const ViewContext& context, QWidget* parent) {
  return new LineView(context, parent);
}

}  // namespace imprimo::app
