// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/words_dialog.h"

#include <QHBoxLayout>

#include "app/look/small_widgets.h"
#include "app/model/core_places.h"
#include "app/session/help_words.h"

namespace imprimo::app {

bool WordsDialog::isFor(Workbench& bench) {
  const std::string core = coreOfMemory(bench);
  if (core.empty()) return false;
  try {
    const sheet::Sheet& sheet = bench.document().sheet();
    const debug::CoreCard card = bench::cardOf(sheet, sheet.core(core));
    return !card.words.empty() || !card.lock.lock.empty();
  } catch (const Error&) {
    return false;
  }
}

WordsDialog::WordsDialog(Workbench& bench, QWidget* parent) : QDialog(parent), bench_(bench) {
  setObjectName("wordsDialog");
  setAttribute(Qt::WA_DeleteOnClose);
  resize(820, 500);
  auto* outer = new QVBoxLayout(this);
  head_ = new QLabel(this);
  head_->setFont(textFont(14, QFont::DemiBold));
  head_->setContentsMargins(10, 4, 10, 0);
  outer->addWidget(head_);
  column_ = scrolledColumn(outer, this);
  outer->addWidget(foot());
  for (const auto signal : {&Workbench::memoryChanged, &Workbench::sheetChanged})
    connect(&bench_, signal, this, &WordsDialog::rebuild, Qt::QueuedConnection);
  connect(&bench_, &Workbench::linkChanged, this, &WordsDialog::read, Qt::QueuedConnection);
  connect(&bench_, &Workbench::runChanged, this, &WordsDialog::refresh);
  connect(&bench_.session(), &BenchSession::runFinished, this, &WordsDialog::read, Qt::QueuedConnection);
  rebuild();
}

QWidget* WordsDialog::foot() {
  auto* foot = new QWidget(this);
  auto* column = new QVBoxLayout(foot);
  column->setContentsMargins(0, 0, 0, 0);
  words_ = mutedLabel(this, {});
  words_->setObjectName("wordsWords");
  words_->setWordWrap(true);
  column->addWidget(words_);
  auto* row = new QHBoxLayout;
  again_ = smallButton(this, tr("read again"), tr("Read the words again and discard the changes"));
  again_->setObjectName("wordsAgain");
  copy_ = smallButton(this, tr("previous values"), tr("Fill in the values of the newest copy; nothing is written yet"));
  copy_->setObjectName("wordsCopy");
  keep_ = smallButton(this, tr("keep in the sheet"), tr("Write these values in every run, after the memories"));
  keep_->setObjectName("wordsKeep");
  for (QToolButton* button : {again_, copy_, keep_}) row->addWidget(button);
  row->addStretch(1);
  const auto button = [&](const char* name) {
    auto* made = firmButton(this, name);
    row->addWidget(made);
    return made;
  };
  lock_ = button("coreLock");
  lockSure_ = button("coreLockSure");
  lockNot_ = button("coreLockNot");
  lockNot_->setText(tr("Leave it unlocked"));
  write_ = button("wordsWrite");
  write_->setDefault(true);
  column->addLayout(row);
  connect(again_, &QToolButton::clicked, this, &WordsDialog::read);
  connect(copy_, &QToolButton::clicked, this, &WordsDialog::proposeCopy);
  connect(keep_, &QToolButton::clicked, this, &WordsDialog::keepInSheet);
  connect(write_, &QPushButton::clicked, this, &WordsDialog::write);
  connect(lock_, &QPushButton::clicked, this, [this] {
    askLock(true);
    lockNot_->setFocus();
  });
  connect(lockNot_, &QPushButton::clicked, this, [this] { askLock(false); });
  connect(lockSure_, &QPushButton::clicked, this, [this] {
    askLock(false);
    bench_.tasks().lockCore(core_);
  });
  askLock(false);
  return foot;
}

/// `asked`: what is lost is in the button that is there then.
void WordsDialog::askLock(bool asked) {
  const bool can = !card_.lock.lock.empty();
  lock_->setVisible(!asked && can);
  lockSure_->setVisible(asked);
  lockNot_->setVisible(asked);
}

void WordsDialog::rebuild() {
  const std::string core = coreOfMemory(bench_);
  debug::CoreCard card;
  try {
    const sheet::Sheet& sheet = bench_.document().sheet();
    if (core.empty()) {
      described_.clear();
    } else {
      const sheet::CoreEntry& entry = sheet.core(core);
      const std::string described = core + "\n" + entry.card + "\n" + (entry.chip ? entry.chip->name : "");
      if (described == described_) return;  // what was typed stays
      described_ = described;
      card = bench::cardOf(sheet, entry);
    }
  } catch (const Error& e) {
    words_->setText(told(e));
  }
  while (QLayoutItem* item = column_->takeAt(0)) {
    if (item->widget() != nullptr) item->widget()->deleteLater();
    delete item;
  }
  cards_.clear();
  core_ = core;
  card_ = std::move(card);
  setWindowTitle(tr("Configuration words of %1").arg(QString::fromStdString(core_)));
  head_->setText(tr("Configuration words of %1").arg(QString::fromStdString(core_)));
  for (const debug::ConfigWord& word : card_.words) {
    auto* made = new WordCard(word);
    column_->addWidget(made);
    cards_.push_back(made);
    connect(made, &WordCard::edited, this, &WordsDialog::refresh);
  }
  column_->addStretch(1);
  const QString name = QString::fromStdString(core_);
  lock_->setText(tr("Lock %1 …").arg(name));
  lockSure_->setText(tr("Lock it: %1 can no longer be read").arg(QString::fromStdString(card_.lock.closes)));
  askLock(false);
  read();
}

void WordsDialog::read() {
  known_ = false;
  refresh();
  if (core_.empty() || !bench_.link().isConnected() || bench_.session().isBusy()) return;
  words_->setText(tr("Reading …"));
  bench_.session().ask(this, [this, core = core_](bench::Bench& bench) -> std::function<void()> {
    try {
      const std::vector<bench::WordFound> found = bench::CoreWords(bench.core(core)).read();
      return [this, core, found] {
        if (core != core_ || found.size() != cards_.size()) return;
        known_ = true;
        for (std::size_t i = 0; i < found.size(); ++i) cards_[i]->setFound(found[i]);
        words_->setText({});
        refresh();
      };
    } catch (const Error& e) {
      return [this, problem = told(e)] {
        words_->setText(problem);
        refresh();
      };
    }
  });
}

std::vector<sheet::WordWish> WordsDialog::wishes() const {
  std::vector<sheet::WordWish> all;
  for (const WordCard* card : cards_) {
    if (const auto value = card->change()) all.push_back({card->word().name, {}, *value, card->mayLockPermanently()});
  }
  return all;
}

debug::Harm WordsDialog::worst() const {
  debug::Harm worst = debug::Harm::None;
  for (const WordCard* card : cards_) worst = std::max(worst, card->harm().harm);
  return worst;
}

void WordsDialog::refresh() {
  const bool free = known_ && !bench_.run().isRunning() && bench_.link().isConnected();
  bool sound = true;
  QStringList names;
  for (WordCard* card : cards_) {
    card->setEnabled(free);
    if (card->isWrong() || (card->harm().harm == debug::Harm::Permanent && !card->mayLockPermanently())) sound = false;
    if (card->change()) names += QString::fromStdString(card->word().name);
  }
  const QString name = QString::fromStdString(core_);
  const debug::Harm harm = worst();
  write_->setEnabled(free && sound && !names.isEmpty());
  write_->setText(names.isEmpty()                  ? tr("Nothing to write")
                  : harm == debug::Harm::Permanent ? tr("Write %1, and lock %2 permanently").arg(names.join(", "), name)
                  : harm == debug::Harm::ShutsOut  ? tr("Write %1, and lock %2").arg(names.join(", "), name)
                                                   : tr("Write %1").arg(names.join(", ")));
  write_->setProperty("harm", harm != debug::Harm::None);
  write_->style()->unpolish(write_);
  write_->style()->polish(write_);
  keep_->setEnabled(free && sound && !names.isEmpty());
  copy_->setEnabled(free);
  again_->setEnabled(!bench_.run().isRunning() && bench_.link().isConnected());
  for (QPushButton* button : {lock_, lockSure_}) button->setEnabled(free);
  if (!bench_.link().isConnected()) words_->setText(tr("Connect the board to read them."));
}

void WordsDialog::write() {
  run::WordsWanted wanted;
  wanted.core = core_;
  wanted.wishes = wishes();
  wanted.restart = bench_.document().sheet().restartAfter;
  bench_.tasks().writeWords(wanted);
}

void WordsDialog::proposeCopy() {
  try {
    const store::CopyStore store = store::userCopies();
    for (const run::StoredCopy& copy : store.list()) {
      if (copy.of.memory != run::wordsName(core_) || copy.of.sheet != bench_.document().sheet().title) continue;
      for (const sheet::WordWish& wish : run::wishesOf(card_, store.contents(copy))) {
        for (WordCard* card : cards_) {
          if (card->word().name == wish.word) card->propose(wish.value);
        }
      }
      return words_->setText(tr("Values of the copy of %1; nothing is written yet.")
                                 .arg(QString::fromStdString(copy.made).replace('T', ' ').remove('Z')));
    }
    words_->setText(tr("There is no copy yet: one is saved whenever words are written."));
  } catch (const Error& e) {
    words_->setText(told(e));
  }
}

void WordsDialog::keepInSheet() {
  std::vector<sheet::WordWish> all = bench_.document().sheet().core(core_).words;
  for (const sheet::WordWish& wish : wishes()) {
    std::erase_if(all, [&](const sheet::WordWish& old) { return old.word == wish.word; });
    all.push_back(wish);
  }
  bench_.document().setCoreWords(core_, std::move(all));
  words_->setText(tr("Every run now writes them after the memories; save the sheet to keep that."));
}

}  // namespace imprimo::app
