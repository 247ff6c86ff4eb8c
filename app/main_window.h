// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QMainWindow>
#include <QMenu>

#include "app/bench_view.h"
#include "app/log_strip.h"
#include "app/workbench.h"

namespace imprimo::app {

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(QWidget* parent = nullptr);

  Workbench& bench() { return bench_; }
  void setDark(bool dark);

 protected:
  void closeEvent(QCloseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void makeActions();
  void fillSheetMenu();
  void fillProbeMenu();
  void openDialog();
  void saveAsDialog();
  void connectDialog();
  void startFromConnected();
  void takeExplored(const QString& address, const jtag::FoundChain& chain, const QString& problem);
  void open(const QString& path);
  /// False when the user wants to stay.
  bool mayLeaveSheet();
  void remember(const char* list, const QString& entry);

  Workbench bench_;
  QAction *open_, *saveAs_, *start_, *connect_, *dark_, *quit_, *log_;
  QMenu *sheetMenu_, *probeMenu_;
  BenchView* view_;
  LogStrip* strip_;
};

}  // namespace imprimo::app
