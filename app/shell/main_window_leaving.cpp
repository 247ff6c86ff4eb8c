// SPDX-License-Identifier: GPL-3.0-or-later
//
// How the window lets go of a sheet: asking, stopping a run, being told to end, and what was kept then.
#include <QCloseEvent>
#include <QFileInfo>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <utility>

#include "app/shell/main_window.h"
#include "app/shell/recovery.h"
#include "app/shell/save_conflict.h"

namespace imprimo::app {

bool MainWindow::mayLeaveSheet() {
  if (bench_.run().isRunning() || bench_.sequence().isUnderWay()) {
    emit bench_.message(tr("A run is under way; stop it first."), true);
    return false;
  }
  View* view = unsavedView();
  if (!bench_.keeping().isUnsaved() && view == nullptr) return true;
  const View::Unsaved own = view != nullptr ? view->unsaved() : View::Unsaved{};
  QMessageBox box(QMessageBox::NoIcon, view != nullptr ? own.heading : tr("The sheet has changes"),
                  view != nullptr
                      ? own.question
                      : tr("Save the changes to %1?").arg(QString::fromStdString(bench_.document().sheet().title)),
                  QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
  box.setDefaultButton(QMessageBox::Save);
  switch (box.exec()) {
    case QMessageBox::Discard:
      return true;
    case QMessageBox::Save:
      return view != nullptr ? view->save() : bench_.keeping().save();
    default:
      return false;
  }
}

View* MainWindow::unsavedView() const {
  for (const Shown& shown : views_) {
    if (shown.view->unsaved().any()) return shown.view;
  }
  return nullptr;
}

/// False when the run is to go on.
bool MainWindow::mayStopRun() {
  QMessageBox box(QMessageBox::NoIcon, tr("A run is under way"), tr("Stop it at the next safe place and close then?"),
                  QMessageBox::NoButton, this);
  box.setObjectName("closeDuringRun");
  QPushButton* stop = box.addButton(tr("Stop and close"), QMessageBox::AcceptRole);
  QPushButton* on = box.addButton(tr("Keep running"), QMessageBox::RejectRole);
  stop->setObjectName("stopAndClose");
  box.setDefaultButton(on);
  box.setEscapeButton(on);
  box.exec();
  return box.clickedButton() == stop;
}

void MainWindow::resolveConflict(const QStringList& differences) {
  const QString path = QString::fromStdString(bench_.document().sheet().path.string());
  SaveConflict dialog(QFileInfo(path).fileName(), differences, this);
  dialog.exec();
  switch (dialog.choice()) {
    case SaveConflict::WriteMine:
      bench_.keeping().saveOver();
      return;
    case SaveConflict::OpenTheirs:
      bench_.keeping().open(path);
      return;
    case SaveConflict::SaveElsewhere:
      return saveAsDialog();
    case SaveConflict::Cancel:
      emit bench_.message(tr("%1 was not saved.").arg(QFileInfo(path).fileName()), true);
  }
}

void MainWindow::leave() {
  leaving_ = true;
  if (bench_.run().isRunning()) {
    emit bench_.message(tr("Told to end: stopping at the next safe place …"), true);
    bench_.sequence().stop();
    bench_.session().stop();
    return;
  }
  runEnded();
}

void MainWindow::runEnded() {
  if (bench_.run().isRunning()) return;
  if (leaving_) {
    try {
      if (bench_.keeping().isUnsaved()) {
        emit bench_.keeping().saving();
        keepForLater(bench_.document().sheet(), bench_.document().saved());
      }
    } catch (const Error& e) {
      qCritical("imprimo: the changes to the sheet could not be kept: %s", e.full().c_str());
    }
    emit ended();
    return;
  }
  if (std::exchange(closing_, false)) close();
}

void MainWindow::offerKept() {
  if (claimed_) return;  // it waits for who may see it
  const auto kept = keptForLater();
  if (!kept) return;
  const QString name = kept->sheet.empty() ? tr("A sheet that was never saved")
                                           : QString::fromStdString(kept->sheet.filename().string());
  auto* box = new QMessageBox(QMessageBox::NoIcon, tr("Changes were kept"),
                              tr("%1 had changes that were not saved when Imprimo was told to end (%2).")
                                  .arg(name, QString::fromStdString(kept->kept)),
                              QMessageBox::NoButton, this);
  box->setObjectName("keptChanges");
  box->setAttribute(Qt::WA_DeleteOnClose);
  QPushButton* open = box->addButton(tr("Open it with them"), QMessageBox::AcceptRole);
  QPushButton* forgetThem = box->addButton(tr("Discard them"), QMessageBox::DestructiveRole);
  QPushButton* later = box->addButton(tr("Later"), QMessageBox::RejectRole);
  open->setObjectName("openKept");
  forgetThem->setObjectName("forgetKept");
  box->setDefaultButton(open);
  box->setEscapeButton(later);
  connect(open, &QPushButton::clicked, this, [this, kept] {
    if (mayLeaveSheet() && bench_.keeping().resume(kept->text, kept->sheet, kept->saved)) forget(*kept);
  });
  connect(forgetThem, &QPushButton::clicked, this, [kept] { forget(*kept); });
  box->open();
}

/// Nothing but the view in front: no bar, no log, no key that leads elsewhere, no file that is dropped.
void MainWindow::claimWindow(bool whole) {
  if (whole == claimed_) return;
  claimed_ = whole;
  top_->setVisible(!whole);
  strip_->setVisible(!whole);
  if (whole) banner_->hide();  // it comes by itself where it has something to say
  for (QAction* strip : strips_) {
    if (whole && strip->isChecked()) strip->trigger();
  }
  setAcceptDrops(!whole);
  const QList<QAction*> own = front_->view->actions();
  if (whole) {
    withdrawn_ = actions();
    for (QAction* action : withdrawn_) {
      if (!own.contains(action)) removeAction(action);
    }
  } else {
    for (QAction* action : std::exchange(withdrawn_, {})) addAction(action);
  }
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (claimed_ && !leaving_) return event->ignore();  // who may leave unlocks it first
  if (bench_.run().isRunning()) {
    event->ignore();
    if (!mayStopRun()) return;
    closing_ = true;
    bench_.sequence().stop();
    bench_.session().stop();
    if (!bench_.run().isRunning()) runEnded();  // it has ended while the question was there
    return;
  }
  if (!mayLeaveSheet()) return event->ignore();
  QSettings settings;
  settings.setValue("window", saveGeometry());
  settings.setValue("logOpen", strip_->isOpen());
  event->accept();
}

}  // namespace imprimo::app
