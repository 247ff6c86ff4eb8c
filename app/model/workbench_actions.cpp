// SPDX-License-Identifier: GPL-3.0-or-later
//
// The workbench's actions: what they do, and when they can.
#include "app/model/workbench.h"
#include "core/base/number.h"

namespace imprimo::app {

void Workbench::makeActions() {
  const auto make = [this](const char* name, const QString& label, const QKeySequence& key) {
    auto* action = new QAction(label, this);
    action->setObjectName(name);
    action->setShortcut(key);
    return action;
  };
  goAction = make("go", tr("Write"), QKeySequence(Qt::CTRL | Qt::Key_Return));
  confirmAction = make("confirm", tr("confirm only"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Return));
  nextDifferenceAction = make("nextDifference", tr("next difference"), QKeySequence(Qt::Key_F3));
  backAction = make("back", tr("back"), QKeySequence(Qt::ALT | Qt::Key_Left));
  saveAction = make("save", tr("&Save"), QKeySequence::Save);
  disconnectAction = make("disconnect", tr("&Disconnect"), QKeySequence(Qt::SHIFT | Qt::Key_F5));
  gotoAction = make("goto", tr("Go to address"), QKeySequence(Qt::CTRL | Qt::Key_G));
  findAction = make("find", tr("Find bytes or text"), QKeySequence::Find);
  reconnectAction = make("reconnect", tr("Connect aga&in"), QKeySequence(Qt::Key_F5));
  clockAction = make("findClock", tr("Find the fastest clock"), {});
  bookmarkAction = make("bookmark", tr("Bookmark this address"), QKeySequence(Qt::CTRL | Qt::Key_B));
  undoAction = make("undo", tr("Undo"), QKeySequence::Undo);
  redoAction = make("redo", tr("Redo"), {});
  redoAction->setShortcuts({QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), QKeySequence(Qt::CTRL | Qt::Key_Y)});
  unbookmarkAction = make("unbookmark", tr("Remove this bookmark"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_B));
  keepAction = make("keep", tr("Keep what is marked"), QKeySequence(Qt::CTRL | Qt::Key_E));
  restartAction = make("restartBoard", tr("Restart the board"), {});
  bridgeAction = make("loadBridgeAction", tr("Load the bridge"), {});
  connect(reconnectAction, &QAction::triggered, &link_, &LinkModel::reconnect);
  connect(clockAction, &QAction::triggered, &clock_, &ClockSearch::find);
  connect(restartAction, &QAction::triggered, &tasks_, &MemoryTasks::restartBoard);
  connect(bridgeAction, &QAction::triggered, &tasks_, &MemoryTasks::loadBridge);
  connect(undoAction, &QAction::triggered, &document_, &SheetDocument::undo);
  connect(redoAction, &QAction::triggered, &document_, &SheetDocument::redo);
  connect(goAction, &QAction::triggered, &run_, &RunModel::go);
  connect(confirmAction, &QAction::triggered, &run_, &RunModel::confirmOnly);
  connect(nextDifferenceAction, &QAction::triggered, this, [this] {
    const auto address = looks_.nextDifference(cursor_.position());
    if (!address) return;
    cursor_.jumpTo(*address);
    emit differenceReached(*address);
  });
  connect(unbookmarkAction, &QAction::triggered, this, &Workbench::removeBookmarkHere);
  connect(backAction, &QAction::triggered, &cursor_, &MemoryCursor::back);
  connect(saveAction, &QAction::triggered, &keeping_, &SheetKeeping::save);
  connect(disconnectAction, &QAction::triggered, &link_, &LinkModel::disconnectProbe);
  updateActions();
}

/// The one at the position; where there is none, that is said.
void Workbench::removeBookmarkHere() {
  const auto& bookmarks = document_.sheet().bookmarks;
  for (std::size_t i = 0; i < bookmarks.size(); ++i) {
    if (bookmarks[i].memory != memory_ || bookmarks[i].at != cursor_.position()) continue;
    const QString name = QString::fromStdString(bookmarks[i].name);
    document_.removeBookmark(i);
    emit message(tr("The bookmark %1 is gone; Ctrl+Z puts it back.").arg(name), false);
    return;
  }
  emit message(tr("No bookmark is at %1: its name, below the map, leads to one.")
                   .arg(QString::fromStdString(hexAddress(cursor_.position()))),
               true);
}

void Workbench::updateActions() {
  const bool busy = run_.isRunning();
  const bool free = link_.isConnected() && !busy && !clock_.isRunning();
  const auto bridge = neededBridge();
  bridgeAction->setVisible(bridge.has_value());
  bridgeAction->setEnabled(free);
  if (bridge) bridgeAction->setText(tr("Load the bridge into %1").arg(QString::fromStdString(*bridge)));
  goAction->setText(run_.goText());
  const LinkState state = link_.state();
  const bool offersConnect = document_.isOpen() && (state == LinkState::NotConnected || state == LinkState::Mismatch);
  goAction->setEnabled(ways_.position() != 0 ? run_.canGo() : run_.canGo() || offersConnect);
  confirmAction->setEnabled(run_.canGo() && !busy && ways_.position() == 0 && choice_.intent() == Intent::Write &&
                            !atDevice() && !looks_.empty());
  restartAction->setEnabled(free);
  const QString undo = document_.undoText(), redo = document_.redoText();
  undoAction->setText(undo.isEmpty() ? tr("Undo") : tr("Undo: %1").arg(undo));
  redoAction->setText(redo.isEmpty() ? tr("Redo") : tr("Redo: %1").arg(redo));
  undoAction->setEnabled(!undo.isEmpty() && !busy);
  redoAction->setEnabled(!redo.isEmpty() && !busy);
  saveAction->setEnabled(document_.isOpen() && keeping_.isUnsaved());
  disconnectAction->setEnabled(state != LinkState::NotConnected);
  bookmarkAction->setEnabled(!memory_.empty());
  unbookmarkAction->setEnabled(!memory_.empty());
  keepAction->setEnabled(!memory_.empty() && !busy);
  reconnectAction->setEnabled(document_.isOpen() && !link_.address().isEmpty() && !busy);
  clockAction->setEnabled(free && !document_.sheet().onlySwd());
}

}  // namespace imprimo::app
