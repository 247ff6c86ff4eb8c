// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/steps_panel.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QPainter>
#include <QStyle>
#include <QToolTip>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kRow = 29;
constexpr int kPadding = 8;

QString figureOf(const plan::Step& step, const StepStatus& status) {
  const auto amount = [&](std::uint64_t n) { return QString::fromStdString(Amount{n, step.amount.unit}.text()); };
  switch (status.state) {
    case StepStatus::Running:
      if (step.kind == plan::StepKind::AwaitTarget)
        return QCoreApplication::translate("StepsList", "%1 s left").arg(std::ceil(status.waitLeft));
      return !step.amount.empty() ? QString("%1 of %2").arg(amount(status.done), amount(step.amount.count))
                                  : QString("…");
    case StepStatus::Done:
      return QString::fromStdString(durationText(status.seconds));
    case StepStatus::Broken:
      return !step.amount.empty() ? QString("%1 of %2").arg(amount(status.done), amount(step.amount.count)) : QString();
    case StepStatus::Waiting:
      break;
  }
  if (step.kind == plan::StepKind::Save || step.kind == plan::StepKind::Read) return amount(step.amount.count);
  return !step.amount.empty() ? QString::fromStdString(durationText(step.seconds)) : QString();
}

}  // namespace

StepsList::StepsList(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("stepsList");
  setAccessibleName(tr("Steps"));
  setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
  const auto changed = [this] {
    updateGeometry();
    tellReaders();
    update();
  };
  speaksFor(this);
  connect(&bench_, &Workbench::planChanged, this, changed);
  connect(&bench_, &Workbench::runChanged, this, changed);
  connect(&bench_, &Workbench::sheetChanged, this, changed);
}

QSize StepsList::sizeHint() const {
  const int rows = bench_.run().plan() ? static_cast<int>(bench_.run().plan()->steps.size()) : 2;
  return {measure::kRightWidth, rows * kRow + 2 * kPadding};
}

QString StepsList::wordsOf(std::size_t index) const {
  const plan::Step& step = bench_.run().plan()->steps[index];
  const StepStatus status = index < bench_.run().steps().size() ? bench_.run().steps()[index] : StepStatus{};
  switch (status.state) {
    case StepStatus::Running: {
      if (step.amount.empty()) return tr("running");
      constexpr std::uint64_t kQuarters = 4;
      return tr("running, %1 %").arg(std::min(status.done, step.amount.count) * kQuarters / step.amount.count * 25);
    }
    case StepStatus::Done:
      return tr("done, %1").arg(figureOf(step, status));
    case StepStatus::Broken:
      return bench_.run().record() ? tr("failed: %1").arg(QString::fromStdString(bench_.run().record()->message))
                                   : tr("failed");
    case StepStatus::Waiting:
      break;
  }
  const QString figure = figureOf(step, status);
  return figure.isEmpty() ? tr("waiting") : tr("waiting, %1").arg(figure);
}

int StepsList::spokenCount() const {
  return bench_.run().plan() ? static_cast<int>(bench_.run().plan()->steps.size()) : 1;
}

SpokenItem StepsList::spokenItem(int index) const {
  SpokenItem item;
  if (!bench_.run().plan()) {
    item.name = nothingPlanned();
    item.rect = rect();
    return item;
  }
  const auto at = static_cast<std::size_t>(index);
  const plan::Step& step = bench_.run().plan()->steps[at];
  item.name = QString("%1. %2").arg(index + 1).arg(QString::fromStdString(step.title));
  item.value = wordsOf(at);
  if (!step.why.empty()) item.value += ". " + QString::fromStdString(step.why);
  item.rect = QRect(0, kPadding + index * kRow, width(), kRow);
  return item;
}

QString StepsList::nothingPlanned() const {
  return bench_.run().problem().isEmpty() ? tr("Nothing is planned.") : tr("No plan: see the reason above.");
}

void StepsList::tellReaders() {
  if (!bench_.run().plan()) return told_.clear();
  const bool anew = told_.size() != bench_.run().plan()->steps.size() || !bench_.run().isRunning();
  told_.resize(bench_.run().plan()->steps.size());
  for (std::size_t i = 0; i < told_.size(); ++i) {
    const QString words = wordsOf(i);
    if (words == told_[i]) continue;
    told_[i] = words;
    if (!anew) itemChanged(static_cast<int>(i));
  }
}

void StepsList::drawStep(QPainter& painter, const QRect& row, std::size_t index, const Theme& theme) const {
  const plan::Step& step = bench_.run().plan()->steps[index];
  const StepStatus status = index < bench_.run().steps().size() ? bench_.run().steps()[index] : StepStatus{};
  if (status.state == StepStatus::Running && !step.amount.empty()) {
    const double share = std::min(1.0, static_cast<double>(status.done) / static_cast<double>(step.amount.count));
    painter.fillRect(QRectF(row.left() + 1, row.top(), (row.width() - 2) * share, row.height()), theme.plannedTint);
  }
  const QPointF center(row.left() + 20, row.center().y() + 0.5);
  const QColor color = status.state == StepStatus::Done     ? theme.agrees
                       : status.state == StepStatus::Broken ? theme.differs
                                                            : theme.planned;
  painter.setPen(QPen(color, 1.4));
  painter.setBrush(status.state == StepStatus::Done ? QBrush(theme.agrees) : QBrush(Qt::NoBrush));
  painter.drawEllipse(center, 9, 9);
  painter.setFont(textFont(11, QFont::DemiBold));
  painter.setPen(status.state == StepStatus::Done ? theme.panel : color);
  const QString sign = status.state == StepStatus::Done     ? "✓"
                       : status.state == StepStatus::Broken ? "!"
                                                            : QString::number(index + 1);
  painter.drawText(QRectF(center.x() - 9, center.y() - 9, 18, 18), Qt::AlignCenter, sign);

  const QString figure = figureOf(step, status);
  painter.setFont(textFont(12));
  const int figureWidth = painter.fontMetrics().horizontalAdvance(figure) + 4;
  painter.setPen(status.state == StepStatus::Broken ? theme.differs : theme.muted);
  painter.drawText(row.adjusted(0, 0, -12, 0), Qt::AlignRight | Qt::AlignVCenter, figure);
  painter.setFont(textFont(13, status.state == StepStatus::Running ? QFont::DemiBold : QFont::Normal));
  painter.setPen(theme.ink);
  const int width = row.width() - 38 - 16 - figureWidth;
  painter.drawText(QRect(row.left() + 38, row.top(), width, row.height()), Qt::AlignVCenter,
                   painter.fontMetrics().elidedText(QString::fromStdString(step.title), Qt::ElideRight, width));
}

void StepsList::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& theme = Theme::current();
  painter.setPen(theme.line);
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), measure::kRadius, measure::kRadius);
  if (!bench_.run().plan()) {
    painter.setFont(textFont(12));
    painter.setPen(theme.muted);
    painter.drawText(rect().adjusted(14, 0, -14, 0), Qt::AlignVCenter | Qt::TextWordWrap, nothingPlanned());
    return;
  }
  for (std::size_t i = 0; i < bench_.run().plan()->steps.size(); ++i) {
    drawStep(painter, QRect(0, kPadding + static_cast<int>(i) * kRow, width(), kRow), i, theme);
  }
}

bool StepsList::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip && bench_.run().plan()) {
    auto* help = static_cast<QHelpEvent*>(event);
    const auto index = static_cast<std::size_t>(std::max(0, help->pos().y() - kPadding) / kRow);
    if (index < bench_.run().plan()->steps.size()) {
      const plan::Step& step = bench_.run().plan()->steps[index];
      QString text = QString::fromStdString(step.title + "\n" + step.why);
      if (!step.extent().empty()) text += "\n" + QString::fromStdString(rangeText(step.extent()));
      QToolTip::showText(help->globalPos(), text, this);
    }
    return true;
  }
  return QWidget::event(event);
}

StepsPanel::StepsPanel(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  heading_ = new QLabel(this);
  heading_->setFont(textFont(14, QFont::DemiBold));
  estimate_ = new QLabel(this);
  estimate_->setProperty("role", "muted");
  estimate_->setFont(textFont(12));
  head->addWidget(heading_);
  head->addStretch(1);
  head->addWidget(estimate_);
  list_ = new StepsList(bench_, this);
  foot_ = new QWidget(this);
  auto* inFoot = new QVBoxLayout(foot_);
  inFoot->setContentsMargins(0, 0, 6, 0);
  inFoot->setSpacing(6);
  go_ = new QPushButton(foot_);
  go_->setObjectName("go");
  go_->setFont(textFont(14, QFont::DemiBold));
  key_ = new QLabel(tr("Ctrl+↵"), go_);
  key_->setAttribute(Qt::WA_TransparentForMouseEvents);
  key_->setFont(textFont(11));
  auto* inButton = new QHBoxLayout(go_);
  inButton->setContentsMargins(0, 0, 14, 0);
  inButton->addStretch(1);
  inButton->addWidget(key_);
  others_ = new QWidget(foot_);
  auto* links = new QHBoxLayout(others_);
  links->setContentsMargins(0, 0, 0, 0);
  auto* word = new QLabel(tr("or"), others_);
  word->setProperty("role", "muted");
  auto* confirm = new QToolButton(others_);
  confirm->setDefaultAction(bench_.confirmAction);
  confirm->setObjectName("confirmOnly");
  links->addWidget(word);
  links->addWidget(confirm);
  links->addStretch(1);
  all_ = smallButton(foot_, {}, tr("All memories of the sheet, one after another, and what it says of the cores then"));
  all_->setObjectName("writeAll");
  connect(all_, &QToolButton::clicked, this, [this] { bench_.sequence().writeAll(); });
  outcome_ = new QLabel(this);
  outcome_->setObjectName("outcome");
  outcome_->setWordWrap(true);
  outcome_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
  column->addLayout(head);
  earlier_ = earlierChoice();
  column->addWidget(outcome_);
  column->addWidget(list_);
  behind_ = mutedLabel(this, {});
  behind_->setObjectName("behindTheRun");
  behind_->setWordWrap(true);
  column->addWidget(behind_);
  inFoot->addWidget(earlier_);
  inFoot->addWidget(go_);
  inFoot->addWidget(others_);
  inFoot->addWidget(all_);
  column->addStretch(1);
  connect(go_, &QPushButton::clicked, bench_.goAction, &QAction::trigger);
  for (const auto signal : {&Workbench::planChanged, &Workbench::runChanged, &Workbench::linkChanged,
                            &Workbench::memoryChanged, &Workbench::placementsChanged}) {
    connect(&bench_, signal, this, &StepsPanel::refresh);
  }
  connect(bench_.goAction, &QAction::changed, this, &StepsPanel::refresh);
  refresh();
}

QWidget* StepsPanel::earlierChoice() {
  auto* choice = new QWidget(this);
  auto* column = new QVBoxLayout(choice);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  const auto add = [&](const char* name, const QString& text, plan::Wanted::Earlier earlier) {
    auto* button = new QPushButton(text, choice);
    button->setObjectName(name);
    column->addWidget(button);
    connect(button, &QPushButton::clicked, this, [this, earlier] { bench_.run().goAgain(earlier); });
  };
  add("finishEarlier", tr("Same board: put back first"), plan::Wanted::Earlier::Finish);
  add("forgetEarlier", tr("Another board: forget the earlier run"), plan::Wanted::Earlier::Forget);
  return choice;
}

void StepsPanel::refresh() {
  const bool running = bench_.run().isRunning();
  const RecordPtr& record = bench_.run().record();
  const bool doesNotRun =
      record && record->watched && !record->watched->fine();  // a core that was written and does not run
  heading_->setText(running                                  ? tr("Happening now")
                    : record && record->good() && doesNotRun ? tr("Done, and does not run")
                    : record                                 ? (record->good() ? tr("Done") : tr("What happened"))
                                                             : tr("What will happen"));
  double seconds = bench_.run().plan() ? bench_.run().plan()->seconds() : 0;
  const bool known = bench_.run().plan() && bench_.run().plan()->steps.size() > 2;  // not only questions
  estimate_->setText(!known || record ? QString()
                                      : tr("%1 %2").arg(bench_.run().plan()->complete ? tr("about") : tr("at most"),
                                                        QString::fromStdString(durationText(seconds))));
  go_->setText(bench_.run().goText());
  go_->setEnabled(bench_.goAction->isEnabled());
  key_->setVisible(bench_.run().canGo());
  setRole(key_, running ? "differs" : "onPlanned");
  if (go_->property("stops").toBool() != running) {
    go_->setProperty("stops", running);
    go_->style()->unpolish(go_);
    go_->style()->polish(go_);
  }
  others_->setVisible(bench_.run().canGo() && !running && !bench_.run().nothingToWrite() &&
                      bench_.choice().intent() == Intent::Write);
  QString words = bench_.run().problem();
  const char* role = "differs";
  if (record) {
    words = sentence(withHelp(QString::fromStdString(record->message), record->help));
    // A saved copy by its time; where it lies is said on demand, and in the log.
    if (!record->backup.empty()) {
      const QFileInfo copy(QString::fromStdString(record->backup.string()));
      words.replace(copy.filePath(), tr("the copy of %1").arg(copy.lastModified().toString("HH:mm:ss")));
    }
    if (record->good() && !doesNotRun) role = "agrees";
  } else if (words.isEmpty() && bench_.run().plan() && !bench_.run().plan()->complete &&
             bench_.link().state() == LinkState::Connected && !running) {
    words = bench_.neededBridge() && bench_.run().plan()->blocks.empty()
                ? tr("The steps are known when the bridge is loaded.")
                : tr("What differs is not known yet; these figures are the most it can be.");
    role = "muted";
  }
  earlier_->setVisible(record && record->unfinishedWork && !running);
  // Where nothing is to be written the button only confirms, and nothing follows.
  const bool writes = !record && !running && bench_.choice().intent() == Intent::Write && !bench_.memory().empty() &&
                      !bench_.run().nothingToWrite();
  const QStringList behind = writes ? bench_.sequence().afterTheMemory() : QStringList();
  behind_->setVisible(!behind.isEmpty());
  behind_->setText(behind.join("\n"));
  const bool several = bench_.sequence().canWriteAll() && !bench_.units().reachesBeyond(bench_.memory());
  all_->setVisible(several);
  if (several) all_->setText(bench_.sequence().writeAllText());
  outcome_->setToolTip(record && !record->backup.empty() ? QString::fromStdString(record->backup.string()) : QString());
  outcome_->setVisible(!words.isEmpty());
  outcome_->setText(words.replace("/", QString("/") + QChar(0x200B)));  // long paths may break behind a slash
  if (outcome_->property("role").toString() != role) {
    outcome_->setProperty("role", role);
    outcome_->style()->unpolish(outcome_);
    outcome_->style()->polish(outcome_);
  }
}

}  // namespace imprimo::app
