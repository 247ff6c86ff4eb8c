// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/device/card_trial.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QStyle>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

QLabel* heading(QWidget* parent, const QString& words) {
  auto* label = new QLabel(words, parent);
  label->setFont(textFont(13, QFont::DemiBold));
  return label;
}

}  // namespace

QString CardTrial::beginning(const bsdl::BoundaryDescription& device) {
  std::string first = "BYPASS";
  for (const bsdl::Instruction& i : device.instructions) {
    if (i.isPrivate) first = i.name;
  }
  return QString(R"({
  "imprimo_configuration": 1,
  "name": "%1",
  "part": "%1",
  "status": {"capture": true, "bits": {}},
  "configure": [
    {"data": "%2", "clocks": 64}
  ]
}
)")
      .arg(QString::fromStdString(device.entity), QString::fromStdString(first));
}

CardTrial::CardTrial(Workbench& bench, QWidget* parent)
    : QDialog(parent),
      bench_(bench),
      position_(bench.device().position()),
      device_(bench.device().config()->description) {
  setObjectName("cardTrial");
  setWindowTitle(tr("How %1 is configured").arg(QString::fromStdString(bench.device().name())));
  resize(1120, 660);
  auto* column = new QVBoxLayout(this);
  auto* across = new QHBoxLayout;
  across->addWidget(left(), 9);
  across->addSpacing(10);
  across->addWidget(right(), 11);
  column->addLayout(across, 1);
  auto* bottom = new QHBoxLayout;
  problem_ = new QLabel(this);
  problem_->setObjectName("cardProblem");
  problem_->setWordWrap(true);
  problem_->setFont(textFont(12));
  save_ = new QPushButton(tr("Save the card and use it"), this);
  save_->setObjectName("cardSave");
  save_->setProperty("role", "main");
  save_->setAutoDefault(false);
  auto* cancel = new QPushButton(tr("Leave it"), this);
  cancel->setAutoDefault(false);
  bottom->addWidget(problem_, 1);
  bottom->addWidget(cancel);
  bottom->addWidget(save_);
  column->addLayout(bottom);
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(save_, &QPushButton::clicked, this, &CardTrial::save);
  connect(text_, &QPlainTextEdit::textChanged, this, &CardTrial::look);
  connect(&bench_.session(), &BenchSession::cardTried, this, &CardTrial::take);
  connect(&bench_, &Workbench::linkChanged, this, &CardTrial::showSteps);
  const sheet::Device& entry = bench_.document().sheet().chain[position_ - 1];
  if (!entry.configCard.empty())
    path_ = QString::fromStdString((bench_.document().sheet().folder() / entry.configCard).string());
  if (const bench::DeviceReport* report = bench_.link().deviceReport(position_)) now_ = report->bits;
  text_->setPlainText(path_.isEmpty() ? beginning(*device_)
                                      : QString::fromStdString(readTextFile(path_.toStdString())));
}

QWidget* CardTrial::left() {
  auto* side = new QWidget(this);
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(heading(side, tr("The card")));
  text_ = new QPlainTextEdit(side);
  text_->setObjectName("cardText");
  text_->setAccessibleName(tr("The configuration card's text"));
  text_->setFont(byteFont(12));
  text_->setLineWrapMode(QPlainTextEdit::NoWrap);
  column->addWidget(text_, 1);
  return side;
}

QWidget* CardTrial::right() {
  auto* side = new QWidget(this);
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(heading(side, tr("Its steps, tried on the part")));
  head->addStretch(1);
  const auto choice = [&](const char* name, const QString& text, bool restart) {
    auto* button = new QToolButton(side);
    button->setObjectName(name);
    button->setText(text);
    button->setCheckable(true);
    button->setProperty("role", "choice");
    connect(button, &QToolButton::clicked, this, [this, restart] {
      restart_ = restart;
      startOver();
    });
    head->addWidget(button);
    return button;
  };
  configureSteps_ = choice("configureSteps", tr("Configure"), false);
  restartSteps_ = choice("restartSteps", tr("Restart"), true);
  column->addLayout(head);
  list_ = new QTreeWidget(side);
  list_->setObjectName("cardSteps");
  list_->setAccessibleName(tr("Steps of the card"));
  list_->setHeaderLabels({"", tr("step"), tr("took"), tr("what it did")});
  list_->setRootIsDecorated(false);
  list_->setWordWrap(true);
  list_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
  list_->header()->resizeSection(1, 230);
  list_->header()->resizeSection(2, 62);
  list_->header()->setStretchLastSection(true);
  column->addWidget(list_, 1);
  auto* buttons = new QHBoxLayout;
  const auto button = [&](const char* name, const QString& text) {
    auto* b = new QPushButton(text, side);
    b->setObjectName(name);
    b->setProperty("role", "quiet");
    b->setAutoDefault(false);
    buttons->addWidget(b);
    return b;
  };
  tryStep_ = button("tryStep", tr("Try the next step"));
  tryAll_ = button("tryAll", tr("Try all that is left"));
  again_ = button("startOver", tr("Start over"));
  buttons->addStretch(1);
  column->addLayout(buttons);
  connectTrial();
  column->addWidget(heading(side, tr("Its status now")));
  status_ = new StatusBits(side);
  column->addWidget(status_);
  return side;
}

void CardTrial::connectTrial() {
  connect(tryStep_, &QPushButton::clicked, this, &CardTrial::tryNext);
  connect(tryAll_, &QPushButton::clicked, this, [this] {
    all_ = true;
    tryNext();
  });
  connect(again_, &QPushButton::clicked, this, [this] {
    if (waiting_) bench_.session().stop();
    startOver();
  });
}

const std::vector<configure::CardStep>& CardTrial::steps() const {
  static const std::vector<configure::CardStep> kNone;
  return !card_ ? kNone : restart_ ? card_->restart : card_->configure;
}

/// The text has changed: what was tried of another text says nothing of this one.
void CardTrial::look() {
  QString problem;
  try {
    card_ = configure::parseConfigCard(text_->toPlainText().toStdString(), "the card", *device_);
  } catch (const Error& e) {
    problem = sentence(told(e));
    card_.reset();
  }
  tell(problem.isEmpty() ? tr("The card is sound. Each step that you try really happens to the part.") : problem,
       !problem.isEmpty());
  save_->setEnabled(card_.has_value());
  startOver();
}

void CardTrial::tell(const QString& words, bool trouble) {
  problem_->setText(words);
  setRole(problem_, trouble ? "differs" : "muted");
}

void CardTrial::startOver() {
  next_ = 0;
  all_ = waiting_ = false;
  tried_.assign(steps().size(), {});
  showSteps();
}

void CardTrial::tryNext() {
  if (waiting_ || next_ >= steps().size()) return;
  waiting_ = true;
  tried_[next_].before = now_;
  bench_.session().tryCardStep(position_, text_->toPlainText().toStdString(), restart_, next_,
                               bench_.device().readFile(card_->highBitFirst));
  showSteps();
}

std::vector<bench::DeviceReport::Bit> CardTrial::bitsOf(const BitVector& status) const {
  bench::DeviceConfig config;
  config.target.name = bench_.device().name();
  config.card = card_;
  return bench::reportOf(config, {.status = status, .usercode = {}, .runs = {}}).bits;
}

void CardTrial::take(const CardStepNews& news) {
  if (!waiting_ || news.step != next_ || news.step >= tried_.size()) return;  // of a trial that was given up
  waiting_ = false;
  Tried& tried = tried_[next_];
  tried.done = true;
  tried.news = news;
  if (news.status && card_ && card_->status) now_ = bitsOf(*news.status);
  tried.after = now_;
  const bool failed = !news.problem.isEmpty();
  tell(failed ? tr("Step %1: %2").arg(next_ + 1).arg(news.problem)
              : tr("The card is sound. Each step that you try really happens to the part."),
       failed);
  if (!failed) ++next_;
  showSteps();
  if (all_ && !failed && next_ < steps().size()) return tryNext();
  all_ = false;
  bench_.session().lookAtDevices();
}

QString CardTrial::effectOf(const Tried& tried) const {
  if (!tried.news.problem.isEmpty()) return tried.news.problem;
  QStringList changes;
  for (const auto& bit : tried.after) {
    const auto was =
        std::find_if(tried.before.begin(), tried.before.end(), [&](const auto& b) { return b.number == bit.number; });
    if (was != tried.before.end() && was->set != bit.set)
      changes += QString("%1 %2 → %3").arg(QString::fromStdString(bit.name)).arg(was->set ? 1 : 0).arg(bit.set ? 1 : 0);
  }
  return changes.isEmpty() ? tr("no status bit changed") : changes.join(", ");
}

void CardTrial::showSteps() {
  const Theme& theme = Theme::current();
  configureSteps_->setChecked(!restart_);
  restartSteps_->setChecked(restart_);
  list_->clear();
  for (std::size_t i = 0; i < steps().size(); ++i) {
    const Tried& tried = tried_[i];
    const bool failed = tried.done && !tried.news.problem.isEmpty();
    auto* row = new QTreeWidgetItem(list_);
    row->setText(0, failed ? "!" : tried.done ? "✓" : waiting_ && i == next_ ? "…" : QString::number(i + 1));
    row->setText(1, QString::fromStdString(steps()[i].title));
    if (tried.done) {
      row->setText(2, QString::fromStdString(durationText(tried.news.seconds)));
      row->setText(3, effectOf(tried));
      row->setToolTip(3, row->text(3));
      const QColor color = failed ? theme.differs : theme.agrees;
      row->setForeground(0, color);
      if (failed) row->setForeground(3, color);
    }
    if (i == next_) list_->setCurrentItem(row);
  }
  const bool live = bench_.link().state() == LinkState::Connected && !bench_.run().isRunning();
  const bool left = next_ < steps().size() && !waiting_ && card_;
  tryStep_->setEnabled(live && left);
  tryAll_->setEnabled(live && left);
  again_->setText(waiting_ ? tr("Stop") : tr("Start over"));
  const std::size_t shown = next_ < tried_.size() && tried_[next_].done ? next_ : next_ > 0 ? next_ - 1 : 0;
  status_->show(now_, shown < tried_.size() && tried_[shown].done ? tried_[shown].before : now_);
}

void CardTrial::save() {
  QString path = path_;
  if (path.isEmpty())
    path = QFileDialog::getSaveFileName(this, tr("Save the configuration card"), "configuration.json",
                                        tr("Cards (*.json)"));
  if (path.isEmpty()) return;
  try {
    writeFileAtomically(path.toStdString(), std::string_view(text_->toPlainText().toStdString()));
  } catch (const Error& e) {
    problem_->setText(told(e));
    return;
  }
  bench_.tasks().useConfigCard(position_, path);
  accept();
}

}  // namespace imprimo::app
