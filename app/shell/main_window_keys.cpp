// SPDX-License-Identifier: GPL-3.0-or-later
//
// The keys of the window itself: from pane to pane, from view to view, its menu, its pages, and what keys there are.
#include <QApplication>

#include "app/shell/keys_dialog.h"
#include "app/shell/main_window.h"

namespace imprimo::app {
namespace {

bool isStop(const QWidget* widget, const QWidget* pane) {
  return (widget->focusPolicy() & Qt::TabFocus) != 0 && widget->isEnabled() && widget->isVisibleTo(pane);
}

/// What the keys go to in a pane: the pane, or the first thing inside in the order of Tab.
QWidget* stopIn(QWidget* pane) {
  if (isStop(pane, pane)) return pane;
  QWidget* each = pane;
  do {
    each = each->nextInFocusChain();
    if (pane->isAncestorOf(each) && isStop(each, pane)) return each;
  } while (each != pane);
  return nullptr;
}

bool holds(const QWidget* pane, const QWidget* focus) {
  return focus != nullptr && (pane == focus || pane->isAncestorOf(focus));
}

}  // namespace

void MainWindow::makeKeys() {
  connect(qApp, &QApplication::focusChanged, this, [this](QWidget*, QWidget* now) {
    if (now != nullptr && isAncestorOf(now)) lastKeys_ = now;
    // Behind whatever takes them away, which may give them to something itself.
    if (now == nullptr) QMetaObject::invokeMethod(this, &MainWindow::keepKeys, Qt::QueuedConnection);
  });
  const auto make = [this](const char* name, const QString& text, const QList<QKeySequence>& keys, auto&& act) {
    auto* action = new QAction(text, this);
    action->setObjectName(name);
    action->setShortcuts(keys);
    connect(action, &QAction::triggered, this, act);
    addAction(action);
    return action;
  };
  make("nextPane", tr("Next part of the window"), {QKeySequence(Qt::Key_F6)}, [this] { goToPane(1); });
  make("previousPane", tr("Part of the window before"), {QKeySequence(Qt::SHIFT | Qt::Key_F6)},
       [this] { goToPane(-1); });
  make("nextView", tr("Next view"), {QKeySequence(Qt::CTRL | Qt::Key_Tab), QKeySequence(Qt::CTRL | Qt::Key_PageDown)},
       [this] { goToView(1); });
  make("previousView", tr("View before"),
       {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Tab), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Backtab),
        QKeySequence(Qt::CTRL | Qt::Key_PageUp)},
       [this] { goToView(-1); });
  make("openMenu", tr("Open the menu"), {QKeySequence(Qt::Key_F10)}, [this] { top_->openMenu(); });
  help_ = make("help", tr("Guide and &keys"), {QKeySequence::HelpContents}, [this] { showHelp(); });
  closePage_ = make("closePage", tr("Close this page, or the &window"), {QKeySequence(Qt::CTRL | Qt::Key_W)},
                    [this] { closePage(); });
}

bool MainWindow::event(QEvent* event) {
  if (event->type() == QEvent::WindowActivate)
    QMetaObject::invokeMethod(this, &MainWindow::keepKeys, Qt::QueuedConnection);
  return QMainWindow::event(event);
}

/// What had the keys may have gone, or be hidden or disabled now: they go to what is nearest to it.
void MainWindow::keepKeys() {
  if (!isActiveWindow() || QApplication::activePopupWidget() != nullptr || QApplication::activeModalWidget() != nullptr)
    return;
  const QWidget* now = QApplication::focusWidget();
  if (now != nullptr && now->isVisible() && now->isEnabled()) return;
  QList<QWidget*> places;
  for (QWidget* place = lastKeys_; place != nullptr && place != this; place = place->parentWidget()) places += place;
  places += front_->view->panes();
  places += {front_->view->widget(), top_};
  for (QWidget* place : places) {
    if (place == nullptr || !place->isVisible()) continue;
    if (QWidget* stop = stopIn(place); stop != nullptr) return stop->setFocus(Qt::OtherFocusReason);
  }
}

void MainWindow::goToPane(int step) {
  QList<QWidget*> panes = front_->view->panes();
  if (panes.isEmpty()) panes = {front_->view->widget()};
  for (const Shown& shown : views_) {
    if (QWidget* strip = shown.view->strip().widget; strip != nullptr) panes += strip;
  }
  panes += {banner_, strip_, top_};
  erase_if(panes, [](QWidget* pane) { return pane == nullptr || !pane->isVisible() || stopIn(pane) == nullptr; });
  if (panes.isEmpty()) return;
  const auto count = static_cast<int>(panes.size());
  int at = step > 0 ? -1 : 0;
  for (int i = 0; i < count; ++i) {
    if (holds(panes[i], QApplication::focusWidget())) at = i;
  }
  QWidget* stop = stopIn(panes[(at + step + count) % count]);
  stop->setFocus(step > 0 ? Qt::TabFocusReason : Qt::BacktabFocusReason);
}

void MainWindow::goToView(int step) {
  std::vector<const Shown*> tabs;
  for (const Shown& shown : views_) {
    if (!shown.isPage) tabs.push_back(&shown);
  }
  const auto count = static_cast<int>(tabs.size());
  int at = 0;
  for (int i = 0; i < count; ++i) {
    if (tabs[static_cast<std::size_t>(i)]->name == (front_->isPage ? behind_ : front_->name)) at = i;
  }
  showView(tabs[static_cast<std::size_t>((at + step + count) % count)]->name);
}

void MainWindow::closePage() {
  if (!front_->isPage) {
    close();
    return;
  }
  showView(behind_.isEmpty() ? views_.front().name : behind_);
}

void MainWindow::showHelp() {
  if (auto* there = findChild<KeysDialog*>()) {
    there->raise();
    there->activateWindow();
    return;
  }
  std::vector<KeysSection> sections;
  const auto add = [](KeysSection& section, const QList<QAction*>& actions) {
    for (const QAction* action : actions) {
      if (!action->shortcut().isEmpty())
        section.keys.push_back({QKeySequence::listToString(action->shortcuts(), QKeySequence::NativeText),
                                QString(action->text()).remove('&')});
    }
  };
  KeysSection window{tr("Everywhere"), {}};
  QList<QAction*> own = actions();
  for (const Shown& shown : views_) {
    for (QAction* action : shown.view->actions()) own.removeAll(action);
  }
  add(window, own);
  window.keys.push_back({tr("Menu, or Shift+F10"), tr("What can be done with what the keys are on")});
  sections.push_back(window);
  for (const Shown& shown : views_) {
    KeysSection section{QString(shown.tab->text()).remove('&'), {}};
    add(section, shown.view->actions());
    for (const KeyWords& words : shown.view->keyWords()) section.keys.push_back(words);
    if (!section.keys.empty()) sections.push_back(section);
  }
  auto* dialog = new KeysDialog(sections, this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->show();
  dialog->activateWindow();
}

}  // namespace imprimo::app
