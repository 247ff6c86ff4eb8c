// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/main_window.h"

#include <QActionGroup>
#include <QApplication>
#include <QCoreApplication>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QScreen>
#include <QScrollArea>
#include <QSettings>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/theme_notice.h"
#include "app/session/help_words.h"
#include "app/shell/chip_dialog.h"
#include "app/shell/demo_bench.h"
#include "app/shell/desktop_recent.h"
#include "app/shell/first_job.h"
#include "app/shell/look_choice.h"
#include "app/shell/outside_banner.h"
#include "app/shell/sheet_instance.h"
#include "core/base/number.h"
#include "core/discover/board_sheet.h"
#include "core/store/pack_sheet.h"
#include "report/session_log.h"

namespace imprimo::app {
namespace {

constexpr const char* kRecentSheets = "recentSheets";
constexpr const char* kRecentProbes = "recentProbes";
constexpr int kMostRecent = 8;

const char* const kSheetFilter = QT_TRANSLATE_NOOP("MainWindow", "Job sheets (*.imprimo *.zip);;All files (*)");

}  // namespace

MainWindow::MainWindow(std::span<const ViewRow> views, QWidget* parent) : QMainWindow(parent) {
  setWindowTitle("Imprimo");
  setAcceptDrops(true);
  look_ = new LookChoice(this);  // before any widget has a font
  connect(&ThemeNotice::get(), &ThemeNotice::changed, this, qOverload<>(&QWidget::update));
  connect(look_, &LookChoice::message, &bench_, [this](const QString& text) { emit bench_.message(text, false); });
  sheetMenu_ = new QMenu(this);
  bench_.setCanOpenDemo(!demoFolder().isEmpty());
  makeActions();
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  pages_ = new QStackedWidget(page);
  makeViews(views);
  strip_ = new LogStrip(page);
  QList<QAction*> tabs;
  for (const Shown& shown : views_) {
    if (!shown.isPage) tabs += shown.tab;
  }
  top_ = new TopBar(bench_, tabs, sheetMenu_, connect_, page);
  column->addWidget(top_);
  banner_ = new OutsideBanner(bench_, page);
  column->addWidget(banner_);
  firstJob_ = new FirstJob(
      bench_, [this] { return front_ == nullptr ? QString() : front_->name; }, this);
  column->addWidget(firstJob_);
  column->addWidget(roomFor(pages_), 1);
  for (const Shown& shown : views_) {
    const View::Strip strip = shown.view->strip();
    if (strip.widget == nullptr) continue;
    column->addWidget(strip.widget);
    addAction(strip.toggle);
    strips_ += strip.toggle;
  }
  column->addWidget(strip_);
  setCentralWidget(page);
  connect(&bench_, &Workbench::message, strip_, &LogStrip::add);
  connect(&bench_, &Workbench::message, this,
          [](const QString& text, bool) { report::SessionLog().add(text.toStdString()); });
  connect(&bench_, &Workbench::inputRefused, strip_, &LogStrip::refuse);
  connect(&bench_, &Workbench::inputMended, strip_, &LogStrip::mend);
  connect(&bench_.keeping(), &SheetKeeping::saveAsWanted, this, &MainWindow::saveAsDialog);
  connect(&bench_.keeping(), &SheetKeeping::saveConflict, this, &MainWindow::resolveConflict);
  // After everybody else has heard of it.
  connect(&bench_.session(), &BenchSession::runFinished, this, &MainWindow::runEnded, Qt::QueuedConnection);
  connect(&bench_.session(), &BenchSession::playFinished, this, &MainWindow::runEnded, Qt::QueuedConnection);
  connect(&bench_.session(), &BenchSession::disconnected, this, &MainWindow::runEnded, Qt::QueuedConnection);
  connect(&bench_.session(), &BenchSession::explored, this, &MainWindow::takeExplored);
  connect(&bench_, &Workbench::connectRequested, connect_, &QAction::trigger);
  connect(&bench_, &Workbench::exploreRequested, this, [this](const QString& address) { useProbe(address, true); });
  connect(&bench_, &Workbench::openRequested, this, &MainWindow::openAsked);
  connect(&bench_, &Workbench::demoRequested, this, [this] {
    if (openDemo(demoFolder()) && !FirstJob::wasOffered()) startFirstJob();
  });
  instance_ = new SheetInstance(this);
  connect(instance_, &SheetInstance::asked, this, [this] {
    setWindowState(windowState() & ~Qt::WindowMinimized);
    raise();
    activateWindow();
  });
  connect(&bench_, &Workbench::sheetChanged, this,
          [this] { instance_->have(QString::fromStdString(bench_.document().sheet().path.string())); });
  connect(sheetMenu_, &QMenu::aboutToShow, this, &MainWindow::fillSheetMenu);
  fillSheetMenu();
  probes_ = new ProbePanel(bench_, this);
  connect(probes_, &ProbePanel::chosen, this, &MainWindow::useProbe);

  bench_.library().refresh();

  QSettings settings;
  resize(1280, 800);
  restoreGeometry(settings.value("window").toByteArray());
  strip_->setOpen(settings.value("logOpen", false).toBool());
  for (const Shown& shown : views_) {
    if (!shown.view->claimsWindow()) continue;
    showView(shown.name);
    claimWindow(true);
    break;
  }
}

MainWindow::~MainWindow() {
  disconnect(qApp, nullptr, this, nullptr);  // the keys go from one to the next while all of it ends
}

/// Where the window is smaller than a view needs, the view scrolls: the window never grows by itself.
QWidget* MainWindow::roomFor(QStackedWidget* pages) {
  auto* room = new QScrollArea;
  room->setObjectName("room");
  room->setWidgetResizable(true);
  room->setFrameShape(QFrame::NoFrame);
  room->setFocusPolicy(Qt::NoFocus);
  room->setWidget(pages);
  return room;
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
  open_ = make("open", tr("&Open a sheet…"), QKeySequence::Open, [this] { openDialog(); });
  new_ = make("newSheet", tr("&New sheet"), QKeySequence::New, [this] { newSheet(); });
  saveAs_ = make("saveAs", tr("Save &as…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), [this] { saveAsDialog(); });
  everything_ = make("saveEverything", tr("Save with &everything…"), {}, [this] { saveEverything(); });
  start_ = make("start", tr("Start from what is &connected…"), {}, [this] { showProbes(true); });
  chip_ = make("chip", tr("Start from a c&hip of the library…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_N),
               [this] { chooseChip({}, bench_.link().isConnected() ? bench_.link().address() : QString()); });
  connect_ = make("connect", tr("&Probes…"), QKeySequence(Qt::CTRL | Qt::Key_K), [this] { showProbes(false); });
  log_ =
      make("toggleLog", tr("&Log"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] { strip_->setOpen(!strip_->isOpen()); });
  makeKeys();
  settings_ = make("settings", tr("Se&ttings…"), QKeySequence(Qt::CTRL | Qt::Key_Comma), [this] { showSettings(); });
  report_ = make("report", tr("&Report a problem…"), {}, [this] { showReport(); });
  first_ = make("firstJobAction", tr("&First job"), {}, [this] { startFirstJob(); });
  quit_ = make("quit", tr("&Quit"), QKeySequence::Quit, [this] { close(); });
  for (QAction* action : {bench_.saveAction, bench_.reconnectAction, bench_.disconnectAction}) addAction(action);
  connect(&bench_, &Workbench::sheetChanged, this, [this] {
    for (QAction* action : {saveAs_, everything_}) action->setEnabled(bench_.document().isOpen());
  });
  for (QAction* action : {saveAs_, everything_}) action->setEnabled(false);
}

void MainWindow::makeViews(std::span<const ViewRow> rows) {
  auto* tabs = new QActionGroup(this);
  const ViewContext context{bench_, open_, start_, [this](const QString& name) { showView(name); },
                            [this](bool whole) { claimWindow(whole); }};
  for (const ViewRow& row : rows) {
    const QString name = row.name;
    auto* tab = new QAction(QCoreApplication::translate("Views", row.title), this);
    tab->setObjectName(name + "Tab");
    tab->setShortcut(QKeySequence(row.shortcut));
    tab->setCheckable(true);
    connect(tab, &QAction::triggered, this, [this, name] { showView(name); });
    addAction(tab);
    tabs->addAction(tab);
    View* view = row.make(context, pages_);
    pages_->addWidget(view->widget());
    for (QAction* action : view->everywhere()) addAction(action);
    views_.push_back({name, view, tab, row.isPage});
  }
  if (rows.empty()) return;
  front_ = &views_.front();
  front_->tab->setChecked(true);
  for (QAction* action : front_->view->actions()) addAction(action);
}

void MainWindow::showView(const QString& name) {
  const auto next = std::find_if(views_.begin(), views_.end(), [&](const Shown& shown) { return shown.name == name; });
  if (next == views_.end()) return;
  // What belongs to one view is not done by a key from another one.
  for (QAction* action : front_->view->actions()) removeAction(action);
  if (front_ != &*next) front_->view->left();
  if (next->isPage && !front_->isPage) behind_ = front_->name;
  front_ = &*next;
  pages_->setCurrentWidget(front_->view->widget());
  front_->tab->setChecked(true);
  for (QAction* action : front_->view->actions()) addAction(action);
  front_->view->entered();
  if (firstJob_ != nullptr) firstJob_->look();
}

void MainWindow::fitScreen() {
  constexpr int kTitleBar = 48, kBorders = 4;
  const QSize room = screen()->availableSize() - QSize(kBorders, kTitleBar);
  resize(size().boundedTo(room));
}

void MainWindow::setDark(bool dark) {
  look_->use(dark ? ThemeKind::Dark : ThemeKind::Light);
}

void MainWindow::remember(const char* list, const QString& entry) {
  if (list == kRecentSheets) noteForDesktop(entry);
  QSettings settings;
  QStringList recent = settings.value(list).toStringList();
  recent.removeAll(entry);
  recent.prepend(entry);
  settings.setValue(list, QStringList(recent.mid(0, kMostRecent)));
}

void MainWindow::fillSheetMenu() {
  sheetMenu_->clear();
  sheetMenu_->addActions({new_, open_, bench_.saveAction, saveAs_, everything_, start_, chip_});
  for (const Shown& shown : views_) {
    if (shown.isPage) sheetMenu_->addAction(shown.tab);
  }
  const QStringList recent = QSettings().value(kRecentSheets).toStringList();
  if (!recent.isEmpty()) sheetMenu_->addSeparator();
  for (const QString& path : recent) {
    connect(sheetMenu_->addAction(QFileInfo(path).fileName() + "   " + QFileInfo(path).path()), &QAction::triggered,
            this, [this, path] { openAsked(path); });
  }
  sheetMenu_->addSeparator();
  sheetMenu_->addActions({connect_, bench_.reconnectAction, bench_.disconnectAction});
  sheetMenu_->addSeparator();
  sheetMenu_->addActions(strips_);
  sheetMenu_->addAction(log_);
  sheetMenu_->addMenu(look_->menu());
  sheetMenu_->addActions({settings_, help_, first_, report_});
  sheetMenu_->addAction(closePage_);
  sheetMenu_->addAction(quit_);
}

/// Sheet, files, cards, descriptions and images in one zip, or a folder where the name is none of a zip.
void MainWindow::saveEverything() {
  if (!bench_.document().isOpen()) return;
  emit bench_.keeping().saving();
  const QString path = QFileDialog::getSaveFileName(this, tr("Save the sheet with all that it names"), "board.zip",
                                                    tr("Zip files (*.zip);;Folders (*)"));
  if (path.isEmpty()) return;
  try {
    const store::PackedSheet packed = store::packSheet(bench_.document().sheet());
    const std::uint64_t bytes = store::writePacked(packed, path.toStdString());
    emit bench_.message(
        tr("%1: the sheet and %2, %3.")
            .arg(QFileInfo(path).fileName(), QString::fromStdString(countText(packed.files.size(), "file")),
                 QString::fromStdString(sizeText(bytes))),
        false);
    for (const std::string& what : packed.leftOut)
      emit bench_.message(tr("Left out: %1.").arg(QString::fromStdString(what)), true);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

/// A sheet with everything is unpacked beside the zip, into a folder of its name.
QString MainWindow::unpacked(const QString& zip) {
  const QFileInfo info(zip);
  QString folder = info.dir().filePath(info.completeBaseName());
  for (int n = 2; QFileInfo::exists(folder); ++n)
    folder = info.dir().filePath(QString("%1-%2").arg(info.completeBaseName()).arg(n));
  try {
    QString sheet = QString::fromStdString(store::unpackSheet(zip.toStdString(), folder.toStdString()).string());
    emit bench_.message(tr("Unpacked into %1.").arg(folder), false);
    return sheet;
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return {};
  }
}

void MainWindow::openAsked(const QString& asked) {
  if (SheetInstance::bringOther(asked)) {
    emit bench_.message(
        tr("%1 is open in another window, which was brought to the front.").arg(QFileInfo(asked).fileName()), false);
    return;
  }
  if (!mayLeaveSheet()) return;
  const QString path = asked.endsWith(".zip", Qt::CaseInsensitive) ? unpacked(asked) : asked;
  if (!path.isEmpty() && bench_.keeping().open(path)) remember(kRecentSheets, QFileInfo(path).absoluteFilePath());
}

void MainWindow::openDialog() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open a job sheet"), {}, tr(kSheetFilter));
  if (!path.isEmpty()) openAsked(path);
}

void MainWindow::saveAsDialog() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Save the job sheet"), "board.imprimo",
                                                    tr("Job sheets (*.imprimo);;All files (*)"));
  if (path.isEmpty()) return;
  try {
    emit bench_.keeping().saving();
    bench_.document().saveAs(path);
    bench_.keeping().hold();  // of the new file from now on
    instance_->have(path);
    remember(kRecentSheets, QFileInfo(path).absoluteFilePath());
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

void MainWindow::showProbes(bool forNewSheet) {
  if (bench_.run().isRunning()) {
    emit bench_.message(tr("A run is under way; stop it first."), true);
    return;
  }
  probes_->setRecent(QSettings().value(kRecentProbes).toStringList());
  probes_->openBelow(top_->probeButton(), forNewSheet || !bench_.document().isOpen());
}

void MainWindow::useProbe(const QString& address, bool forNewSheet) {
  const sheet::Sheet& sheet = bench_.document().sheet();
  const bool empty = bench_.document().isNew() && sheet.chain.empty() && sheet.cores.empty();
  if (!forNewSheet && !empty) {
    remember(kRecentProbes, address);
    return bench_.link().connectTo(address);
  }
  if (!empty && !mayLeaveSheet()) return;
  emit bench_.message(tr("Looking at %1").arg(address), false);
  bench_.session().explore(address);
}

/// Beside the program, as it is built and as it is installed; empty where it is not there.
QString MainWindow::demoFolder() {
  for (const char* place : {"/../demo", "/../share/imprimo/demo"}) {
    QString folder = QDir::cleanPath(QCoreApplication::applicationDirPath() + place);
    if (QFileInfo::exists(folder + "/bench.json")) return folder;
  }
  return {};
}

bool MainWindow::openDemo(const QString& folder) {
  if (!mayLeaveSheet()) return false;
  try {
    demo_ = std::make_unique<DemoBench>((folder + "/bench.json").toStdString(), true);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return false;
  }
  if (bench_.keeping().open(folder + "/gauge-rev-b.imprimo"))
    bench_.link().connectTo(QString::fromStdString(demo_->address()));
  return true;
}

/// With a probe in use, of what is connected to it; otherwise an empty one, which takes what the next probe finds.
void MainWindow::newSheet() {
  if (bench_.link().isConnected()) return useProbe(bench_.link().address(), true);
  if (!mayLeaveSheet()) return;
  bench_.document().start(sheet::parseSheet(sheet::sheetTextFor("New board", {}), ""));
  showProbes(false);
}

void MainWindow::chooseChip(const std::optional<FoundPort>& port, const QString& address) {
  auto* dialog = new ChipDialog(port, this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &QDialog::accepted, this, [this, dialog, address] {
    if (!mayLeaveSheet()) return;
    try {
      bench_.document().start(dialog->sheet());
      if (address.isEmpty()) return;
      bench_.link().connectTo(address);
      remember(kRecentProbes, address);
    } catch (const Error& e) {
      emit bench_.message(told(e), true);
    }
  });
  dialog->open();
}

void MainWindow::takeExplored(const Exploration& exploration) {
  if (!exploration.problem.isEmpty()) {
    emit bench_.message(exploration.problem, true);
    return;
  }
  try {
    if (exploration.port) return chooseChip(exploration.port, exploration.address);
    std::vector<std::filesystem::path> files;
    for (const auto& fitting : exploration.candidates)
      files.push_back(fitting.size() == 1 ? fitting.front().file : std::filesystem::path());
    bench_.document().start(discover::sheetForBoard(exploration.chain, files));
    bench_.library().refresh();
    bench_.link().connectTo(exploration.address);
    remember(kRecentProbes, exploration.address);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

}  // namespace imprimo::app
