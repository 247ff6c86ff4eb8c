// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/first_job.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QPainter>
#include <QSettings>
#include <filesystem>

#include "app/look/small_widgets.h"

namespace imprimo::app {
namespace {

constexpr const char* kOffered = "firstJobOffered";
constexpr std::uint64_t kStationText = 0x6A2000;

}  // namespace

Ring::Ring(QWidget* window) : QWidget(window) {
  setAttribute(Qt::WA_TransparentForMouseEvents);
  setFocusPolicy(Qt::NoFocus);
  hide();
}

void Ring::goAround(QWidget* target) {
  if (target_ == target) return follow();
  if (target_ != nullptr) target_->removeEventFilter(this);
  target_ = target;
  if (target_ != nullptr) target_->installEventFilter(this);
  follow();
}

bool Ring::eventFilter(QObject* watched, QEvent* event) {
  const auto type = event->type();
  if (type == QEvent::Move || type == QEvent::Resize || type == QEvent::Show || type == QEvent::Hide) follow();
  return QWidget::eventFilter(watched, event);
}

void Ring::follow() {
  if (target_ == nullptr || !target_->isVisible()) return hide();
  constexpr int kAround = 5;
  const QRect there(target_->mapTo(window(), QPoint(0, 0)), target_->size());
  setGeometry(there.adjusted(-kAround, -kAround, kAround, kAround).intersected(window()->rect()));
  QWidget::show();
  raise();
}

void Ring::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(Theme::current().erasing, 3));
  painter.drawRoundedRect(QRectF(rect()).adjusted(2, 2, -2, -2), 7, 7);
}

FirstJob::FirstJob(Workbench& bench, std::function<QString()> front, QWidget* window)
    : QFrame(window), bench_(bench), front_(std::move(front)), ring_(new Ring(window)) {
  setObjectName("firstJob");
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(16, 8, 12, 8);
  row->setSpacing(14);
  count_ = mutedLabel(this, {});
  words_ = new QLabel(this);
  words_->setObjectName("firstJobWords");
  words_->setFont(textFont(13, QFont::DemiBold));
  words_->setWordWrap(true);
  leave_ = firmButton(this, "firstJobLeave");
  leave_->setProperty("role", "quiet");
  row->addWidget(count_);
  row->addWidget(words_, 1);
  row->addWidget(leave_);
  makeSteps();
  step_ = steps_.size();
  connect(leave_, &QPushButton::clicked, this, &FirstJob::leave);
  connect(&bench_, &Workbench::differenceReached, this, [this] {
    differenceSeen_ = true;
    look();
  });
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::linkChanged, &Workbench::memoryChanged,
                            &Workbench::placementsChanged, &Workbench::planChanged, &Workbench::runChanged})
    connect(&bench_, signal, this, &FirstJob::look);
  connect(&bench_.cursor(), &MemoryCursor::moved, this, &FirstJob::look);
  hide();
}

bool FirstJob::wasOffered() {
  return QSettings().value(kOffered, false).toBool();
}

bool FirstJob::isDemo(const Workbench& bench) {
  const std::filesystem::path& sheet = bench.document().sheet().path;
  std::error_code none;
  return sheet.filename() == "gauge-rev-b.imprimo" && std::filesystem::exists(sheet.parent_path() / "bench.json", none);
}

void FirstJob::makeSteps() {
  const auto edits = [this] { return bench_.document().sheet().editsIn(bench_.memory()).size(); };
  steps_ = {
      {tr("Open the demo: a river gauge, simulated."), "openDemo",
       [this] { return isDemo(bench_) && bench_.link().isConnected(); }},
      {tr("On the left are the devices of the chain. The flash behind the correlator is reached through a bridge: load "
          "it."),
       "loadBridge", [this] { return !bench_.neededBridge() && !bench_.looks().empty() && !bench_.run().isRunning(); }},
      {tr("The map shows each block: above what is planned, below what is on the part. F3 goes to the next byte that "
          "differs."),
       "nextDifference", [this] { return differenceSeen_; }},
      {tr("Go to an address: Ctrl+G, 0x6A2000, Return. A text lives there that is not in any file."), "address",
       [this] { return bench_.cursor().position() == kStationText; }},
      {tr("Type two digits among the bytes: they are planned over what the files say. Nothing is written yet."),
       "byteZip", [edits] { return edits() > 0; }},
      {tr("Take that back: Ctrl+Z."), "byteZip", [edits] { return edits() == 0; }},
      {tr("On the right is each step that will be done. Do it: Ctrl+Return. What is destroyed is saved before, and "
          "what was written is read back."),
       "go", [this] { return bench_.run().record() != nullptr && bench_.run().record()->good() && runSeen_; }},
      {tr("It is written and confirmed. Every run leaves a record: look at it, Ctrl+7."), "",
       [this] { return front_() == "records"; }}};
}

void FirstJob::begin() {
  QSettings().setValue(kOffered, true);
  step_ = 0;
  differenceSeen_ = false;
  runSeen_ = false;
  look();
}

void FirstJob::leave() {
  step_ = steps_.size();
  ring_->goAround(nullptr);
  hide();
}

void FirstJob::look() {
  if (!isUnderWay()) return;
  if (step_ > 0 && !isDemo(bench_)) return leave();
  // A record of loading the bridge is none of writing.
  constexpr std::size_t kWriting = 6;
  if (step_ == kWriting && bench_.run().isRunning()) runSeen_ = true;
  while (isUnderWay() && steps_[step_].isDone()) ++step_;
  tell();
}

void FirstJob::tell() {
  const bool over = !isUnderWay();
  count_->setText(over ? QString() : tr("%1 of %2").arg(step_ + 1).arg(steps_.size()));
  words_->setText(over ? tr("That was a first job. F1 has a page for each other one.") : steps_[step_].what);
  leave_->setText(over ? tr("Close") : tr("Leave"));
  setAccessibleName(words_->text());
  QFrame::show();
  const char* where = over ? "" : steps_[step_].where;
  ring_->goAround(*where == '\0' ? nullptr : window()->findChild<QWidget*>(where));
}

}  // namespace imprimo::app
