// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"

#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QVBoxLayout>

#include "app/theme.h"
#include "app/top_bar.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr const char* kRecentSheets = "recentSheets";
constexpr const char* kRecentProbes = "recentProbes";
constexpr int kMostRecent = 8;
const char* const kSheetFilter = QT_TRANSLATE_NOOP("MainWindow", "Job sheets (*.imprimo);;All files (*)");

/// A sheet for what was found. Throws Refused where an instruction length is not certain.
sheet::Sheet sheetFor(const jtag::FoundChain& chain) {
  std::vector<sheet::FoundForSheet> parts;
  for (const jtag::FoundPart& part : chain.parts) {
    if (!part.irLength.certain()) {
      throw Error(ErrorKind::Refused,
                  "part " + std::to_string(parts.size() + 1) + " has " + std::to_string(part.irLength.min) + " to " +
                      std::to_string(part.irLength.max) + " instruction bits, which a sheet has to know",
                  "Make the sheet with its BSDL file: imprimoctl --library DIR scan -o SHEET.");
    }
    parts.push_back({"part" + std::to_string(parts.size() + 1), part.idcode, part.irLength.min, ""});
  }
  return sheet::parseSheet(sheet::sheetTextFor("New board", parts), "");
}

}  // namespace

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent) {
  setWindowTitle("Imprimo");
  setAcceptDrops(true);
  sheetMenu_ = new QMenu(this);
  probeMenu_ = new QMenu(this);
  makeActions();
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  view_ = new BenchView(bench_, open_, start_, page);
  strip_ = new LogStrip(page);
  column->addWidget(new TopBar(bench_, sheetMenu_, probeMenu_, page));
  column->addWidget(view_, 1);
  column->addWidget(strip_);
  setCentralWidget(page);
  connect(&bench_, &Workbench::message, strip_, &LogStrip::add);
  connect(&bench_.session(), &BenchSession::explored, this, &MainWindow::takeExplored);
  connect(&bench_, &Workbench::connectRequested, connect_, &QAction::trigger);
  connect(sheetMenu_, &QMenu::aboutToShow, this, &MainWindow::fillSheetMenu);
  connect(probeMenu_, &QMenu::aboutToShow, this, &MainWindow::fillProbeMenu);
  fillSheetMenu();
  fillProbeMenu();

  QSettings settings;
  setDark(settings.value("dark", false).toBool());
  resize(1280, 800);
  restoreGeometry(settings.value("window").toByteArray());
  strip_->setOpen(settings.value("logOpen", false).toBool());
}

void MainWindow::makeActions() {
  const auto make = [this](const char* name, const QString& text, const QKeySequence& key, auto&& act) {
    auto* action = new QAction(text, this);
    action->setObjectName(name);
    action->setShortcut(key);
    connect(action, &QAction::triggered, this, act);
    addAction(action);
    return action;
  };
  open_ = make("open", tr("Open a sheet…"), QKeySequence::Open, [this] { openDialog(); });
  saveAs_ = make("saveAs", tr("Save as…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), [this] { saveAsDialog(); });
  start_ = make("start", tr("Start from what is connected…"), {}, [this] { startFromConnected(); });
  connect_ =
      make("connect", tr("Connect to a probe…"), QKeySequence(Qt::CTRL | Qt::Key_K), [this] { connectDialog(); });
  dark_ = make("dark", tr("Dark theme"), {}, [this](bool on) { setDark(on); });
  dark_->setCheckable(true);
  log_ =
      make("toggleLog", tr("Log"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] { strip_->setOpen(!strip_->isOpen()); });
  quit_ = make("quit", tr("Quit"), QKeySequence::Quit, [this] { close(); });
  for (QAction* action : {bench_.goAction, bench_.confirmAction, bench_.nextDifferenceAction, bench_.backAction,
                          bench_.saveAction, bench_.gotoAction, bench_.findAction, bench_.bookmarkAction}) {
    addAction(action);
  }
  // One save for sheets with a name and without.
  connect(bench_.saveAction, &QAction::changed, this, [this] { saveAs_->setEnabled(bench_.document().isOpen()); });
  saveAs_->setEnabled(false);
}

void MainWindow::setDark(bool dark) {
  dark_->setChecked(dark);
  Theme::setDark(dark);
  QSettings().setValue("dark", dark);
  update();
}

void MainWindow::remember(const char* list, const QString& entry) {
  QSettings settings;
  QStringList recent = settings.value(list).toStringList();
  recent.removeAll(entry);
  recent.prepend(entry);
  settings.setValue(list, QStringList(recent.mid(0, kMostRecent)));
}

void MainWindow::fillSheetMenu() {
  sheetMenu_->clear();
  sheetMenu_->addActions({open_, bench_.saveAction, saveAs_, start_});
  const QStringList recent = QSettings().value(kRecentSheets).toStringList();
  if (!recent.isEmpty()) sheetMenu_->addSeparator();
  for (const QString& path : recent) {
    connect(sheetMenu_->addAction(QFileInfo(path).fileName() + "   " + QFileInfo(path).path()), &QAction::triggered,
            this, [this, path] { open(path); });
  }
  sheetMenu_->addSeparator();
  sheetMenu_->addActions({log_, dark_, quit_});
}

void MainWindow::fillProbeMenu() {
  probeMenu_->clear();
  probeMenu_->addActions({connect_, bench_.disconnectAction});
  const QStringList recent = QSettings().value(kRecentProbes).toStringList();
  if (!recent.isEmpty()) probeMenu_->addSeparator();
  for (const QString& address : recent) {
    connect(probeMenu_->addAction(address), &QAction::triggered, this, [this, address] { bench_.connectTo(address); });
  }
}

bool MainWindow::mayLeaveSheet() {
  if (bench_.isRunning()) {
    emit bench_.message(tr("A run is under way; stop it first."), true);
    return false;
  }
  if (!bench_.document().isModified()) return true;
  QMessageBox box(QMessageBox::NoIcon, tr("The sheet has changes"),
                  tr("Keep the changes to %1?").arg(QString::fromStdString(bench_.document().sheet().title)),
                  QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
  box.setDefaultButton(QMessageBox::Save);
  switch (box.exec()) {
    case QMessageBox::Discard:
      return true;
    case QMessageBox::Save:
      if (bench_.document().sheet().path.empty())
        saveAsDialog();
      else
        bench_.saveSheet();
      return !bench_.document().isModified();
    default:
      return false;
  }
}

void MainWindow::open(const QString& path) {
  if (mayLeaveSheet() && bench_.openSheet(path)) remember(kRecentSheets, QFileInfo(path).absoluteFilePath());
}

void MainWindow::openDialog() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open a job sheet"), {}, tr(kSheetFilter));
  if (!path.isEmpty()) open(path);
}

void MainWindow::saveAsDialog() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Save the job sheet"), "board.imprimo", tr(kSheetFilter));
  if (path.isEmpty()) return;
  try {
    bench_.document().saveAs(path);
    remember(kRecentSheets, QFileInfo(path).absoluteFilePath());
  } catch (const Error& e) {
    emit bench_.message(QString::fromStdString(e.full()), true);
  }
}

void MainWindow::connectDialog() {
  const QStringList recent = QSettings().value(kRecentProbes).toStringList();
  bool fine = false;
  const QString address =
      QInputDialog::getText(this, tr("Connect to a probe"), tr("Address, for example tcp:localhost:4711:"),
                            QLineEdit::Normal, recent.value(0, "tcp:localhost:"), &fine);
  if (!fine || address.trimmed().isEmpty() || bench_.isRunning()) return;
  if (!bench_.document().isOpen()) {
    emit bench_.message(tr("Open a sheet first, or start from what is connected."), true);
    return;
  }
  bench_.connectTo(address.trimmed());
  remember(kRecentProbes, address.trimmed());
}

void MainWindow::startFromConnected() {
  if (!mayLeaveSheet()) return;
  bool fine = false;
  const QString address =
      QInputDialog::getText(this, tr("Start from what is connected"), tr("The probe's address:"), QLineEdit::Normal,
                            QSettings().value(kRecentProbes).toStringList().value(0, "tcp:localhost:"), &fine);
  if (!fine || address.trimmed().isEmpty()) return;
  emit bench_.message(tr("Looking at %1").arg(address.trimmed()), false);
  bench_.session().explore(address.trimmed());
}

void MainWindow::takeExplored(const QString& address, const jtag::FoundChain& chain, const QString& problem) {
  if (!problem.isEmpty()) {
    emit bench_.message(problem, true);
    return;
  }
  try {
    bench_.document().start(sheetFor(chain));
    bench_.connectTo(address);
    remember(kRecentProbes, address);
  } catch (const Error& e) {
    emit bench_.message(QString::fromStdString(e.full()), true);
  }
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (!mayLeaveSheet()) return event->ignore();
  QSettings settings;
  settings.setValue("window", saveGeometry());
  settings.setValue("logOpen", strip_->isOpen());
  event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  const auto urls = event->mimeData()->urls();
  if (urls.size() == 1 && urls.front().toLocalFile().endsWith(".imprimo")) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  open(event->mimeData()->urls().front().toLocalFile());
}

}  // namespace imprimo::app
