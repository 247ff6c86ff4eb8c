// SPDX-License-Identifier: GPL-3.0-or-later
//
// Files that are dropped anywhere on the window.
#include <QDragEnterEvent>
#include <QFileInfo>
#include <QMimeData>
#include <algorithm>

#include "app/shell/main_window.h"

namespace imprimo::app {
namespace {

QStringList filesOf(const QMimeData& dropped) {
  QStringList files;
  for (const QUrl& url : dropped.urls()) {
    if (url.isLocalFile()) files += url.toLocalFile();
  }
  return files;
}

}  // namespace

/// Folders, several files at once, and what no view takes go into the library.
bool MainWindow::isForLibrary(const QStringList& files) const {
  if (files.size() != 1) {
    return !files.isEmpty() && std::all_of(files.begin(), files.end(), &LibraryModel::accepts);
  }
  const auto takes = [&](const Shown& shown) { return shown.view->accepts(files.front()); };
  return LibraryModel::accepts(files.front()) && std::none_of(views_.begin(), views_.end(), takes);
}

/// All files are taken up, so that what is refused can be told why.
void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (!filesOf(*event->mimeData()).isEmpty()) event->acceptProposedAction();
}

bool MainWindow::handedOver(const QString& file) {
  const auto opener =
      std::find_if(views_.begin(), views_.end(), [&](const Shown& shown) { return shown.view->opens(file); });
  if (opener != views_.end()) {
    showView(opener->name);
    opener->view->drop(file);
  } else if (QFileInfo(file).isFile() && !file.endsWith(".json", Qt::CaseInsensitive) && isForLibrary({file})) {
    bench_.library().add({file});
  } else if (file.endsWith(".zip", Qt::CaseInsensitive)) {
    openAsked(file);
  } else {
    return false;
  }
  return true;
}

void MainWindow::dropEvent(QDropEvent* event) {
  const QStringList files = filesOf(*event->mimeData());
  if (files.isEmpty()) return;
  if (isForLibrary(files)) return bench_.library().add(files);
  const QString& file = files.front();
  const auto taker =
      std::find_if(views_.begin(), views_.end(), [&](const Shown& shown) { return shown.view->accepts(file); });
  if (files.size() > 1) {
    emit bench_.message(
        tr("%1 files at once go to the files of a memory or of an image, or into the library: drop them "
           "there. Nothing was taken.")
            .arg(files.size()),
        true);
  } else if (taker != views_.end()) {
    showView(taker->name);
    taker->view->drop(file);
  } else if (file.endsWith(".imprimo") || file.endsWith(".zip")) {
    openAsked(file);
  } else {
    emit bench_.message(tr("%1 is no sheet, and nothing for the library. What is to be written is dropped on “Files”, "
                           "what configures a device on that device.")
                            .arg(QFileInfo(file).fileName()),
                        true);
  }
}

}  // namespace imprimo::app
