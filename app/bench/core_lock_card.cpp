// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/core_lock_card.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/model/core_places.h"
#include "core/bench/cores/cores.h"

namespace imprimo::app {

CoreLockCard::CoreLockCard(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("coreLockCard");
  setAccessibleName(tr("The core is locked"));
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(16, 12, 16, 12);
  all->setSpacing(6);
  const auto label = [&](const char* name, const QFont& font) {
    auto* made = new QLabel(this);
    made->setObjectName(name);
    made->setFont(font);
    made->setTextFormat(Qt::PlainText);
    made->setWordWrap(true);
    all->addWidget(made);
    return made;
  };
  title_ = label("lockTitle", textFont(14, QFont::DemiBold));
  title_->setProperty("role", "differs");
  words_ = label("lockWords", textFont(13));
  steps_ = label("lockSteps", textFont(12));
  steps_->setProperty("role", "muted");
  steps_->setWordWrap(false);
  steps_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  auto* row = new QHBoxLayout;
  row->setSpacing(10);
  const auto button = [&](const char* name) {
    auto* made = firmButton(this, name);
    row->addWidget(made);
    return made;
  };
  unlock_ = button("unlock");
  destroy_ = button("unlockDestroy");
  leave_ = button("unlockLeave");
  leave_->setText(tr("Leave it locked"));
  row->addStretch(1);
  all->addLayout(row);
  connect(unlock_, &QPushButton::clicked, this, [this] {
    ask(true);
    leave_->setFocus();
  });
  connect(leave_, &QPushButton::clicked, this, [this] {
    ask(false);
    unlock_->setFocus();
  });
  connect(destroy_, &QPushButton::clicked, this, [this] {
    ask(false);
    bench_.tasks().unlockCore(core_);
  });
  for (const auto signal :
       {&Workbench::runChanged, &Workbench::memoryChanged, &Workbench::linkChanged, &Workbench::sheetChanged})
    connect(&bench_, signal, this, &CoreLockCard::refresh);
  refresh();
}

/// `asked`: the consequence is in the button that is there then.
void CoreLockCard::ask(bool asked) {
  unlock_->setVisible(!asked);
  destroy_->setVisible(asked);
  leave_->setVisible(asked);
}

void CoreLockCard::refresh() {
  const std::string core = coreOfMemory(bench_);
  const auto& report = bench_.link().report();
  const auto found = report ? report->cores.find(core) : decltype(report->cores.find(core)){};
  const bool shown = report && found != report->cores.end() && found->second.locked && bench_.link().isConnected() &&
                     !bench_.run().isRunning() && !bench_.atDevice();
  setVisible(shown);
  if (!shown) return;
  if (core_ != core || unlock_->text().isEmpty()) ask(false);
  core_ = core;
  const QString name = QString::fromStdString(core);
  title_->setText(tr("%1 is locked").arg(name));
  debug::CoreLock lock;
  try {
    lock = bench::cardOf(bench_.document().sheet(), bench_.document().sheet().core(core)).lock;
  } catch (const Error&) {
    // It was read when it was connected to; what has become of it since is told where it is used next.
  }
  const bool known = !lock.unlock.empty();
  words_->setText((found->second.silent
                       ? tr("Its debug port answers only while the reset is held, and its memory is closed.")
                       : tr("Its debug port answers, and its memory is closed: nothing can be read or written.")) +
                  " " +
                  (known ? tr("Unlocking it destroys %1.").arg(QString::fromStdString(lock.destroys))
                         : tr("How it is unlocked has to be in its core card.")));
  QStringList steps;
  for (const debug::ChipStep& step : lock.unlock) steps << QString::fromStdString(step.title());
  steps_->setText(steps.join("\n"));
  steps_->setVisible(known);
  steps_->setMinimumHeight(steps_->sizeHint().height());
  unlock_->setEnabled(known);
  unlock_->setText(tr("Unlock %1 …").arg(name));
  destroy_->setText(known ? tr("Destroy %1, and unlock").arg(QString::fromStdString(lock.destroys)) : QString());
  keepHeight();
}

/// A small window takes from the map instead.
void CoreLockCard::keepHeight() {
  setMinimumHeight(layout()->totalHeightForWidth(width()));
}

void CoreLockCard::resizeEvent(QResizeEvent* event) {
  QFrame::resizeEvent(event);
  keepHeight();
}

}  // namespace imprimo::app
