// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QMainWindow>
#include <QMenu>
#include <QPointer>
#include <QStackedWidget>
#include <memory>
#include <span>
#include <stdexcept>
#include <vector>

#include "app/model/workbench.h"
#include "app/shell/log_strip.h"
#include "app/shell/probe_panel.h"
#include "app/shell/top_bar.h"
#include "app/shell/view.h"

namespace imprimo::app {

class DemoBench;
class FirstJob;
class LookChoice;
class SheetInstance;

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  /// `views` in their order; the first is in front.
  explicit MainWindow(std::span<const ViewRow> views, QWidget* parent = nullptr);

  ~MainWindow() override;

  Workbench& bench() { return bench_; }
  /// The view of a kind, which has to be there.
  template <typename Kind>
  Kind& view() {
    for (const Shown& shown : views_) {
      if (auto* found = dynamic_cast<Kind*>(shown.view)) return *found;
    }
    throw std::logic_error("the window has no such view");
  }
  /// Makes the window no larger than the screen has room for, its frame included.
  void fitScreen();
  /// Takes the dark theme or the light one, without remembering it.
  void setDark(bool dark);
  /// The program was told to end: a run is stopped at its next safe place, what is not saved is kept for the next
  /// start, and nobody is asked.
  void leave();
  /// Opens a sheet in place of the one that is there, after asking for what is not saved.
  void openAsked(const QString& path);
  /// A file that the desktop hands over goes to the view that it is for, or the library. False: it is to be a sheet.
  bool handedOver(const QString& file);
  /// The river gauge from this folder, with its bench simulated in this process.
  bool openDemo(const QString& folder);
  /// Offers what an earlier program kept when it had to end.
  void offerKept();

 signals:
  void ended();  ///< after leave(): nothing is left to do

 protected:
  void closeEvent(QCloseEvent* event) override;
  bool event(QEvent* event) override;
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
  /// For a new sheet with one core; `port`: what was found on the wires of SWD.
  void chooseChip(const std::optional<FoundPort>& port, const QString& address);
  void newSheet();
  void saveEverything();
  QString unpacked(const QString& zip);
  static QString demoFolder();
  bool isForLibrary(const QStringList& files) const;
  /// False when the user wants to stay.
  bool mayLeaveSheet();
  void remember(const char* list, const QString& entry);

  void makeKeys();
  /// Something that can be seen always has the keys.
  void keepKeys();
  void goToPane(int step);
  void goToView(int step);
  /// A page goes back to the view that was in front before; otherwise the sheet goes.
  void closePage();
  void showHelp();
  void showReport();
  void showSettings();
  void startFirstJob();
  void claimWindow(bool whole);
  static QWidget* roomFor(QStackedWidget* pages);
  void makeViews(std::span<const ViewRow> views);
  void showView(const QString& name);
  /// The view that would lose something with the sheet; null: none.
  View* unsavedView() const;

  /// A view and its tab.
  struct Shown {
    QString name;
    View* view = nullptr;
    QAction* tab = nullptr;
    bool isPage = false;
  };
  std::unique_ptr<DemoBench> demo_;  // outlives what is connected to it
  Workbench bench_;
  std::vector<Shown> views_;
  const Shown* front_ = nullptr;
  QAction *new_, *open_, *saveAs_, *everything_, *start_, *chip_, *connect_, *quit_, *log_, *help_, *closePage_,
      *settings_, *report_, *first_;
  LookChoice* look_;
  FirstJob* firstJob_ = nullptr;
  SheetInstance* instance_;
  QPointer<QWidget> lastKeys_;
  QString behind_;          // the view that a page was opened from
  QList<QAction*> strips_;  // that show strips of views or take them away
  QMenu* sheetMenu_;
  ProbePanel* probes_;
  TopBar* top_;
  QStackedWidget* pages_;
  QWidget* banner_;
  LogStrip* strip_;
  QList<QAction*> withdrawn_;  // while a view has the whole window
  bool claimed_ = false;
  bool closing_ = false;  // as soon as the run has ended
  bool leaving_ = false;  // and without asking
};

}  // namespace imprimo::app
