// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/memory_menu.h"

#include <QFileDialog>
#include <QInputDialog>
#include <QMenu>

#include "app/bench/copies_dialog.h"
#include "app/bench/differences_dialog.h"
#include "app/bench/read_dialog.h"
#include "app/bench/words_dialog.h"
#include "app/flash/memory_dialog.h"
#include "app/look/address_text.h"
#include "app/look/theme.h"
#include "app/session/help_words.h"
#include "core/base/number.h"

namespace imprimo::app {

MemoryMenu::MemoryMenu(Workbench& bench, QWidget* parent) : QToolButton(parent), bench_(bench) {
  setObjectName("memoryMenu");
  setText(tr("more ▾"));
  setFont(textFont(12));
  setAccessibleName(tr("More to do with this memory"));
  setPopupMode(QToolButton::InstantPopup);
  setMenu(new QMenu(this));
  const auto make = [this](const char* name, const QString& text, bool needsLink, auto&& act) {
    QAction* action = menu()->addAction(text);
    action->setObjectName(name);
    connect(action, &QAction::triggered, this, act);
    if (needsLink) needLink_ += action;
    return action;
  };
  make("deviceAction", tr("The part: registers, tables, card…"), false,
       [this] { (new MemoryDialog(bench_, window()))->show(); });
  words_ = make("wordsAction", tr("Configuration words, lock…"), false,
                [this] { (new WordsDialog(bench_, window()))->show(); });
  menu()->addSeparator();
  make("readAction", tr("Read to a file…"), true, [this] { read(); });
  make("compareAction", tr("Compare with a file…"), true, [this] { compare(); });
  make("blankAction", tr("Blank check"), true, [this] { bench_.tasks().lookIfBlank(); });
  make("differencesAction", tr("List the differences…"), false,
       [this] { (new DifferencesDialog(bench_, window()))->show(); });
  make("vectorsAction", tr("Save as SVF…"), false, [this] { emit bench_.vectorsWanted(); });
  menu()->addSeparator();
  make("copiesAction", tr("Saved copies…"), false, [this] { (new CopiesDialog(bench_, window()))->show(); });
  menu()->addSeparator();
  make("tryAction", tr("Test the bench on a blank block"), true, [this] { bench_.tasks().tryBench({}); });
  tryHere_ = make("tryHereAction", {}, true, [this] { tryHere(); });
  connect(menu(), &QMenu::aboutToShow, this, &MemoryMenu::refresh);
  const auto showWords = [this] { words_->setVisible(WordsDialog::isFor(bench_)); };
  connect(menu(), &QMenu::aboutToShow, this, showWords);
  for (const auto signal : {&Workbench::memoryChanged, &Workbench::sheetChanged})
    connect(&bench_, signal, this, showWords);
  showWords();
  for (const auto signal : {&Workbench::linkChanged, &Workbench::memoryChanged, &Workbench::runChanged})
    connect(&bench_, signal, this, &MemoryMenu::refresh);
  refresh();
}

void MemoryMenu::refresh() {
  for (QAction* action : needLink_) action->setEnabled(bench_.tasks().canAsk() && !bench_.looks().empty());
  const std::uint64_t at =
      bench_.looks().empty() ? 0 : bench_.looks().geometry().blockAt(bench_.cursor().position()).begin;
  tryHere_->setText(tr("… or on the block at %1, which is restored").arg(QString::fromStdString(hexAddress(at))));
}

void MemoryMenu::read() {
  ReadDialog dialog(bench_.looks().geometry().reach(), QString::fromStdString(bench_.memory()), window());
  if (dialog.exec() == QDialog::Accepted) bench_.tasks().readToFile(dialog.range(), dialog.file(), dialog.twice());
}

void MemoryMenu::compare() {
  const QString file = QFileDialog::getOpenFileName(this, tr("Compare with a file"));
  if (file.isEmpty()) return;
  std::optional<std::uint64_t> at;
  try {
    if (!readImageFile(file.toStdString()).hasAddresses) {
      bool fine = false;
      const QString text =
          QInputDialog::getText(this, tr("Compare with a file"), tr("Where does it begin?"), QLineEdit::Normal,
                                QString::fromStdString(hexAddress(bench_.cursor().position())), &fine);
      at = parseAddress(text);
      if (!fine) return;
    }
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return;
  }
  bench_.tasks().compareWithFile(file, at);
}

void MemoryMenu::tryHere() {
  bench_.tasks().tryBench(bench_.looks().geometry().blockAt(bench_.cursor().position()));
}

}  // namespace imprimo::app
