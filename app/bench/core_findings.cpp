// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/core_findings.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

using Verdict = debug::CoreWatch::Verdict;

QString eightDigits(std::uint32_t value) {
  return QString("%1").arg(value, 8, 16, QChar('0')).toUpper();
}

}  // namespace

CoreFindings::CoreFindings(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("coreFindings");
  setAccessibleName(tr("Why the core does not run"));
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(16, 12, 16, 10);
  all->setSpacing(6);
  title_ = new QLabel(this);
  title_->setObjectName("coreTitle");
  title_->setProperty("role", "differs");
  title_->setFont(textFont(14, QFont::DemiBold));
  title_->setTextFormat(Qt::PlainText);
  words_ = new QLabel(this);
  words_->setObjectName("coreWords");
  words_->setFont(textFont(13));
  words_->setTextFormat(Qt::PlainText);
  words_->setWordWrap(true);
  columns_ = new QGridLayout;
  columns_->setHorizontalSpacing(26);
  columns_->setVerticalSpacing(1);
  hint_ = mutedLabel(this, {});
  hint_->setWordWrap(true);
  auto* row = new QHBoxLayout;
  row->setSpacing(14);
  goTo_ = action("coreGoTo", {});
  copy_ = action("coreCopy", tr("copy as text"));
  again_ = action("coreAgain", tr("look again"));
  for (QToolButton* button : {goTo_, copy_, again_}) row->addWidget(button);
  row->addStretch(1);
  all->addWidget(title_);
  all->addWidget(words_);
  all->addLayout(columns_);
  all->addWidget(hint_);
  all->addLayout(row);
  connect(goTo_, &QToolButton::clicked, this, [this] {
    if (at_) bench_.cursor().jumpTo(*at_);
  });
  connect(copy_, &QToolButton::clicked, this, [this] { QGuiApplication::clipboard()->setText(text()); });
  connect(again_, &QToolButton::clicked, this, [this] { bench_.tasks().watchCore(); });
  for (const auto signal :
       {&Workbench::runChanged, &Workbench::memoryChanged, &Workbench::linkChanged, &Workbench::sheetChanged})
    connect(&bench_, signal, this, &CoreFindings::refresh);
  refresh();
}

QToolButton* CoreFindings::action(const char* name, const QString& text) {
  auto* button = new QToolButton(this);
  button->setObjectName(name);
  button->setText(text);
  button->setProperty("role", "link");
  button->setFont(textFont(12, QFont::DemiBold));
  return button;
}

QString CoreFindings::place(std::uint32_t address) {
  const std::string symbol = symbols_.of(bench_).text(address);
  return symbol.empty() ? "0x" + eightDigits(address) : QString::fromStdString(symbol);
}

QString CoreFindings::text() const {
  return (QStringList{title_->text(), words_->text()} + lines_ + QStringList{hint_->text()}).join('\n');
}

void CoreFindings::column(int at, const QString& head, const QStringList& lines, bool bytes) {
  if (lines.isEmpty()) return;
  columns_->addWidget(mutedLabel(this, head), 0, at, Qt::AlignTop);
  auto* body = new QLabel(lines.join('\n'), this);
  body->setTextFormat(Qt::PlainText);
  body->setFont(bytes ? byteFont(12) : textFont(12));
  body->setTextInteractionFlags(Qt::TextSelectableByMouse);
  body->setMinimumHeight(body->sizeHint().height());  // a small window takes from the map instead
  columns_->addWidget(body, 1, at, Qt::AlignTop);
  columns_->setColumnStretch(at, 1);
  lines_ += head + ":";
  lines_ += lines;
}

void CoreFindings::refresh() {
  while (QLayoutItem* item = columns_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  lines_.clear();
  at_.reset();
  const debug::CoreWatch* watch = bench_.link().watched(coreOfMemory(bench_));
  const bool shown = watch != nullptr && !watch->fine() && bench_.link().isConnected() && !bench_.run().isRunning() &&
                     !bench_.atDevice();
  setVisible(shown);
  if (!shown) return;
  const RecordPtr& record = bench_.run().record();
  const bool confirmed = record && record->outcome == run::Outcome::Verified && record->watched;
  title_->setText("▲  " + (confirmed ? tr("It was written and confirmed, and it does not run.")
                                     : tr("%1 does not run.").arg(QString::fromStdString(coreOfMemory(bench_)))));
  if (watch->fault) {
    tellFault(*watch->fault);
  } else {
    tellState(*watch);
  }
  hint_->setText(watch->halted ? tr("The core was halted for a moment to read its registers; it is as it was.")
                               : tr("The core was not halted for this."));
  goTo_->setVisible(at_.has_value());
  if (at_) goTo_->setText(tr("go to 0x%1").arg(eightDigits(*at_)));
}

void CoreFindings::tellFault(const debug::CoreFault& fault) {
  const QString name = QString::fromStdString(fault.exceptionName());
  QString words = tr("After the restart the core took a %1 and has been in its handler since.").arg(name);
  if (fault.pc) {
    at_ = fault.pc;
    words += " " + tr("It happened at 0x%1").arg(eightDigits(*fault.pc));
    for (const std::string& reason : fault.reasons) words += ": " + QString::fromStdString(reason);
    words += ".";
  } else {
    for (const std::string& reason : fault.reasons) words += " " + sentence(QString::fromStdString(reason)) + ".";
    words += " " + tr("No frame of it was found on the stack.");
  }
  words_->setText(words);
  QStringList where, registers;
  if (fault.pc) {
    where << place(*fault.pc);
    if (fault.lr && (*fault.lr & 0xFF000000) != 0xFF000000) where << tr("called from %1").arg(place(*fault.lr & ~1u));
    registers << QString("pc %1   lr %2").arg(eightDigits(*fault.pc), eightDigits(fault.lr.value_or(0)));
    for (int r = 0; r < 4; r += 2)
      registers << QString("r%1 %2   r%3 %4")
                       .arg(r)
                       .arg(eightDigits(fault.registers[static_cast<std::size_t>(r)]))
                       .arg(r + 1)
                       .arg(eightDigits(fault.registers[static_cast<std::size_t>(r) + 1]));
  }
  registers << QString("sp %1").arg(eightDigits(fault.sp));
  column(0, tr("where"), where, true);
  column(1, tr("stacked registers"), registers, true);
  const debug::CoreWatch* watch = bench_.link().watched(coreOfMemory(bench_));
  column(2, tr("looked at"),
         {watch->stackAt ? tr("✗ stack at 0x%1, outside of the RAM").arg(eightDigits(*watch->stackAt))
                         : tr("✓ stack inside the RAM"),
          watch->resets == 0 ? tr("✓ no reset seen") : tr("✗ %1 resets seen").arg(watch->resets),
          tr("%1 samples").arg(watch->samples)},
         false);
}

void CoreFindings::tellState(const debug::CoreWatch& watch) {
  const QString name = QString::fromStdString(coreOfMemory(bench_));
  QString words = QString("%1 %2.").arg(name, QString::fromStdString(watch.words()));
  if (watch.verdict == Verdict::Resets) {
    words += " " + tr("A watchdog that nobody feeds, or a supply that gives way; \"connect\": \"under-reset\" in the "
                      "sheet holds it at its first instruction.");
  } else if (watch.verdict == Verdict::InReset) {
    words += " " + tr("Look at what holds the reset wire low.");
  } else if (watch.verdict == Verdict::NoVectors) {
    words += " " + tr("Place a file that begins at the start of the flash.");
  }
  if (watch.stackAt)
    words += " " + tr("Its stack begins at 0x%1, which is outside of the RAM.").arg(eightDigits(*watch.stackAt));
  words_->setText(words);
  QStringList where;
  for (std::size_t i = 0; i < std::min<std::size_t>(3, watch.places.size()); ++i)
    where << QString("%1  %2 of %3").arg(place(watch.places[i].pc)).arg(watch.places[i].samples).arg(watch.samples);
  column(0, tr("where"), where, true);
}

}  // namespace imprimo::app
