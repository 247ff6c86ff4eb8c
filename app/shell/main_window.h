// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QMainWindow>
#include <QMenu>

#include "app/bench/bench_view.h"
#include "app/images/images_view.h"
#include "app/model/workbench.h"
#include "app/shell/log_strip.h"
#include "app/shell/probe_panel.h"
#include "app/shell/top_bar.h"
#include "app/vectors/vectors_view.h"

namespace imprimo::app {

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(QWidget* parent = nullptr);

  Workbench& bench() { return bench_; }
  ImagesView& images() { return *images_; }
  VectorsView& vectors() { return *vectors_; }
  void setDark(bool dark);
  /// The program was told to end: a run is stopped at its next safe place, what is not saved is kept for the next
  /// start, and nobody is asked.
  void leave();
  /// Opens a sheet in place of the one that is there, after asking for what is not saved.
  void openAsked(const QString& path);
  /// Offers what an earlier program kept when it had to end.
  void offerKept();

 signals:
  void ended();  ///< after leave(): nothing is left to do

 protected:
  void closeEvent(QCloseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void makeActions();
  void fillSheetMenu();
  void openDialog();
  void saveAsDialog();
  void resolveConflict(const QStringList& differences);
  void runEnded();
  bool mayStopRun();
  void showProbes(bool forNewSheet);
  void useProbe(const QString& address, bool forNewSheet);
  void takeExplored(const Exploration& exploration);
  sheet::Sheet sheetFor(const Exploration& exploration);
  /// False when the user wants to stay.
  bool mayLeaveSheet();
  void remember(const char* list, const QString& entry);

  Workbench bench_;
  void showView(int index);

  QAction *benchTab_, *imagesTab_, *vectorsTab_;
  QAction *open_, *saveAs_, *start_, *connect_, *dark_, *quit_, *log_;
  QMenu* sheetMenu_;
  ProbePanel* probes_;
  TopBar* top_;
  QStackedWidget* views_;
  BenchView* view_;
  ImagesView* images_;
  VectorsView* vectors_;
  LogStrip* strip_;
  bool closing_ = false;  // as soon as the run has ended
  bool leaving_ = false;  // and without asking
};

}  // namespace imprimo::app
