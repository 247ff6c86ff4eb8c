// SPDX-License-Identifier: GPL-3.0-or-later
//
// What helps with the program itself: a first job, settings, a report of a problem.
#include "app/session/help_words.h"
#include "app/shell/first_job.h"
#include "app/shell/look_choice.h"
#include "app/shell/main_window.h"
#include "app/shell/report_dialog.h"
#include "app/shell/settings_dialog.h"
#include "core/base/error.h"
#include "report/problem_report.h"

namespace imprimo::app {

void MainWindow::startFirstJob() {
  if (!FirstJob::isDemo(bench_)) {
    if (demoFolder().isEmpty()) {
      emit bench_.message(
          tr("The first job needs the demo, whose files are not beside the program. Install imprimo-data."), true);
      return;
    }
    if (!openDemo(demoFolder())) return;
  }
  firstJob_->begin();
  firstJob_->setFocus(Qt::OtherFocusReason);
}

void MainWindow::showReport() {
  const std::string text = report::problemReport({"imprimo", {{"Qt", qVersion()}}});
  auto* dialog = new ReportDialog(QString::fromStdString(text), this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->open();
}

void MainWindow::showSettings() {
  SettingsDialog* dialog = nullptr;
  try {
    dialog = new SettingsDialog(this);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return;
  }
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &SettingsDialog::changed, this, [this](const QString& key) {
    if (key == "look.theme") look_->refresh();
    if (key == "library.folders") bench_.library().refresh();
    if (key == "store")
      emit bench_.message(tr("Records and numbers go to the other store from the next start on."), false);
  });
  dialog->open();
}

}  // namespace imprimo::app
