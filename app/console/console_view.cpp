// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/console/console_view.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/console/serial_menu.h"
#include "app/look/small_widgets.h"
#include "app/look/theme.h"
#include "app/session/help_words.h"
#include "core/base/number.h"

namespace imprimo::app {

ConsoleView::ConsoleView(const ViewContext& context, QWidget* parent)
    : QWidget(parent), bench_(context.bench), model_(context.bench) {
  setObjectName("page");
  makeActions();
  strip_ = new ConsoleStrip(model_);
  strip_->setCloser(below_);
  strip_->hide();
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 12, 18, 12);
  column->setSpacing(8);
  column->addWidget(head());
  plot_ = new ConsolePlot(model_, this);
  plot_->setVisible(false);
  column->addWidget(plot_);
  list_ = new ConsoleList(model_, this);
  column->addWidget(list_, 1);
  column->addWidget(foot());
  connect(&model_, &ConsoleModel::changed, this, &ConsoleView::refresh);
  connect(&model_, &ConsoleModel::shownGrew, this, &ConsoleView::refresh);
  connect(&model_, &ConsoleModel::shownChanged, this, &ConsoleView::refresh);
  connect(&bench_, &Workbench::runChanged, this, &ConsoleView::refresh);
  refresh();
}

void ConsoleView::makeActions() {
  findAction_ = new QAction(tr("Find…"), this);
  findAction_->setShortcut(QKeySequence::Find);
  connect(findAction_, &QAction::triggered, this, [this] {
    search_->setFocus();
    search_->selectAll();
  });
  holdAction_ = new QAction(tr("Hold the view"), this);
  holdAction_->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_P));
  connect(holdAction_, &QAction::triggered, this, [this] { model_.setHeld(!model_.isHeld()); });
  saveAction_ = new QAction(tr("Save what was said…"), this);
  saveAction_->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_E));
  connect(saveAction_, &QAction::triggered, this, &ConsoleView::saveLog);
  below_ = new QAction(tr("Console below the view"), this);
  below_->setObjectName("consoleBelow");
  below_->setShortcut(QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_K));
  below_->setCheckable(true);
  connect(below_, &QAction::toggled, this, &ConsoleView::showStrip);
}

QWidget* ConsoleView::head() {
  auto* box = new QWidget(this);
  auto* row = new QHBoxLayout(box);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(8);
  core_ = new QComboBox(box);
  core_->setObjectName("consoleCore");
  core_->setAccessibleName(tr("Core that is listened to"));
  state_ = mutedLabel(box, {});
  state_->setObjectName("consoleState");
  const auto toggle = [&](const char* name, const QString& text, const QString& what) {
    QToolButton* button = smallButton(box, text, what);
    button->setObjectName(name);
    button->setCheckable(true);
    return button;
  };
  listen_ = toggle("consoleListen", tr("listen"), tr("Read what the core says, without halting it"));
  trace_ = toggle("consoleTrace", tr("trace"),
                  tr("Listen to instrumentation trace (ITM) by SWO; trace is switched on for it"));
  host_ = toggle("consoleHost", tr("semihosting"),
                 tr("Answer the core's calls of its host; debug is enabled for it, and the core waits at each call"));
  serial_ = smallButton(box, {}, tr("Listen to a serial port of this computer"));
  serial_->setObjectName("consoleSerial");
  serial_->setMenu(new SerialMenu(model_, serial_));
  serial_->setPopupMode(QToolButton::InstantPopup);
  hold_ = toggle("consoleHold", tr("hold"), tr("Show nothing new until it is let go; nothing is lost (Ctrl+P)"));
  curves_ = toggle("consoleCurves", tr("curves"), tr("Numbers of lines like level=1472 as curves"));
  auto* clear = smallButton(box, tr("clear"), tr("Forget what was said so far"));
  clear->setObjectName("consoleClear");
  auto* save = smallButton(box, tr("save…"), tr("Write what was said to a file (Ctrl+E)"));
  save->setObjectName("consoleSave");
  figures_ = mutedLabel(box, {});
  figures_->setObjectName("consoleFigures");
  row->addWidget(core_);
  row->addWidget(state_);
  row->addStretch(1);
  row->addWidget(figures_);
  for (QToolButton* button : {listen_, trace_, host_, serial_, hold_, curves_, clear, save}) row->addWidget(button);
  connect(core_, &QComboBox::textActivated, &model_, &ConsoleModel::setCore);
  connect(listen_, &QToolButton::toggled, &model_, &ConsoleModel::setOn);
  connect(trace_, &QToolButton::toggled, this, [this](bool on) { model_.setSource("itm", on); });
  connect(host_, &QToolButton::toggled, this, [this](bool on) { model_.setSource("semihosting", on); });
  connect(hold_, &QToolButton::toggled, &model_, &ConsoleModel::setHeld);
  connect(curves_, &QToolButton::toggled, this, [this](bool on) {
    plot_->setVisible(on);
    refresh();
  });
  connect(clear, &QToolButton::clicked, this, [this] { model_.log().clear(); });
  connect(save, &QToolButton::clicked, saveAction_, &QAction::trigger);
  return box;
}

QWidget* ConsoleView::foot() {
  auto* box = new QWidget(this);
  auto* row = new QHBoxLayout(box);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(8);
  const auto field = [&](const char* name, const QString& words, const QString& what) {
    auto* edit = new QLineEdit(box);
    edit->setObjectName(name);
    edit->setPlaceholderText(words);
    edit->setAccessibleName(what);
    edit->setFont(textFont(13));
    edit->setClearButtonEnabled(true);
    return edit;
  };
  filter_ = field("consoleFilter", tr("only lines with…"), tr("Show only lines with these letters"));
  search_ = field("consoleSearch", tr("find…"), tr("Find these letters; Return goes on, Shift+Return back"));
  say_ = field("consoleSay", tr("say something to the target, Return sends it"), tr("A line for the target"));
  row->addWidget(filter_, 1);
  row->addWidget(search_, 1);
  row->addWidget(say_, 2);
  connect(filter_, &QLineEdit::textChanged, &model_, &ConsoleModel::setFilter);
  connect(search_, &QLineEdit::returnPressed, this,
          [this] { find(!QGuiApplication::keyboardModifiers().testFlag(Qt::ShiftModifier)); });
  connect(say_, &QLineEdit::returnPressed, this, [this] {
    model_.say(say_->text());
    say_->clear();
  });
  return box;
}

void ConsoleView::entered() {
  // Whoever looks wants to hear; afterwards it goes on until it is switched off.
  if (!entered_) model_.setOn(true);
  entered_ = inFront_ = true;
  showStrip();
}

void ConsoleView::left() {
  inFront_ = false;
  showStrip();
}

View::Strip ConsoleView::strip() {
  return {strip_, below_};
}

/// It is not below itself.
void ConsoleView::showStrip() {
  const bool shown = below_->isChecked() && !inFront_;
  if (shown) model_.setOn(true);
  strip_->setVisible(shown);
}

void ConsoleView::refresh() {
  const QStringList cores = model_.cores();
  QStringList there;
  for (int i = 0; i < core_->count(); ++i) there += core_->itemText(i);
  if (there != cores) {
    core_->clear();
    core_->addItems(cores);
  }
  core_->setCurrentText(model_.core());
  core_->setVisible(cores.size() > 1);
  state_->setText(model_.state());
  const QString held = model_.waiting() > 0
                           ? tr("held, %1 more").arg(QString::fromStdString(countText(model_.waiting(), "line")))
                           : tr("held");
  const auto show = [&](QToolButton* button, bool on, const QString& text) {
    const QSignalBlocker quiet(button);
    button->setChecked(on);
    button->setEnabled(!cores.isEmpty());
    button->setText((on ? QString("● ") : QString("○ ")) + text);
  };
  show(listen_, model_.isOn(), tr("listen"));
  show(trace_, model_.listensTo("itm"), tr("trace"));
  show(host_, model_.listensTo("semihosting"), tr("semihosting"));
  serial_->setEnabled(!cores.isEmpty());
  serial_->setText((model_.serial().isEmpty() ? QString("○ ") : QString("● ")) + tr("serial"));
  show(hold_, model_.isHeld(), model_.isHeld() ? held : tr("hold"));
  show(curves_, curves_->isChecked(), tr("curves"));
  QString figures = QString::fromStdString(countText(model_.log().count(), "line"));
  if (model_.log().lost() > 0)
    figures += tr(", %1 lost").arg(QString::fromStdString(countText(model_.log().lost(), "byte")));
  figures_->setText(model_.log().count() > 0 ? figures : QString());
  curves_->setEnabled(!plot_->names().isEmpty() || curves_->isChecked());
  say_->setEnabled(model_.canSay());
  say_->setPlaceholderText(model_.hearer().isEmpty() ? tr("nothing that is listened to takes input")
                                                     : tr("say something to %1; Return sends it").arg(model_.hearer()));
  if (model_.shown().empty()) list_->viewport()->update();
}

void ConsoleView::find(bool forward) {
  if (const auto row = model_.find(search_->text(), list_->current(), forward)) {
    list_->setCurrent(*row);
  } else {
    emit bench_.message(tr("No line has “%1” in it.").arg(search_->text()), true);
  }
}

void ConsoleView::saveLog() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Save what was said"), "console.txt", tr("Text (*.txt)"));
  if (path.isEmpty()) return;
  try {
    model_.log().save(path);
    emit bench_.message(tr("Wrote %1.").arg(QFileInfo(path).fileName()), false);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

QList<KeyWords> ConsoleView::keyWords() const {
  return {{tr("Up, Down, Page Up, Page Down, Home"), tr("Lines: go over them, and stay there")},
          {tr("End"), tr("Lines: follow what comes")},
          {tr("Ctrl+C"), tr("Lines: copy the one that the keys are on")}};
}

View* makeConsoleView(const ViewContext& context, QWidget* parent) {
  return new ConsoleView(context, parent);
}

}  // namespace imprimo::app
