// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/vector_side.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QHBoxLayout>
#include <cmath>

#include "app/look/small_widgets.h"
#include "app/vectors/mismatch_panel.h"
#include "core/base/number.h"
#include "core/bench/pins/probe_pins.h"
#include "core/image/image_writer.h"

namespace imprimo::app {
namespace {

QString secondsText(double seconds) {
  return QString::fromStdString(durationText(seconds));
}

QString countedMillions(std::uint64_t n) {
  if (n >= 10'000'000) return VectorSide::tr("%1 million").arg(static_cast<double>(n) / 1e6, 0, 'f', 1);
  return QString::number(n);
}

}  // namespace

VectorSide::VectorSide(Workbench& bench, VectorDocument& document, QWidget* parent)
    : QWidget(parent), bench_(bench), document_(document) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  addFacts(column);
  addChoices(column);
  addNow(column);
  addButtons(column);
  column->addStretch(1);
  addContents(column);
  for (const auto signal : {&VectorDocument::changed, &VectorDocument::surveyChanged, &VectorDocument::playChanged,
                            &VectorDocument::factsChanged})
    connect(&document_, signal, this, &VectorSide::refresh);
  connect(document_.playAction, &QAction::changed, this, &VectorSide::refresh);
  connect(&bench_, &Workbench::linkChanged, this, &VectorSide::refresh);
  connect(&document_, &VectorDocument::changed, this, &VectorSide::refreshFit);  // the document hears of the link too
  refresh();
}

QFrame* VectorSide::card(QVBoxLayout* column, const QString& title, QLabel** heading) {
  auto* label = new QLabel(title, this);
  label->setFont(textFont(14, QFont::DemiBold));
  column->addWidget(label);
  if (heading != nullptr) *heading = label;
  auto* frame = new QFrame(this);
  frame->setObjectName("card");
  column->addWidget(frame);
  return frame;
}

QLabel* VectorSide::fact(QGridLayout* grid, const QString& name, const char* object) {
  const int row = grid->rowCount();
  grid->addWidget(mutedLabel(this, name), row, 0, Qt::AlignTop);
  auto* value = new QLabel(this);
  value->setObjectName(object);
  value->setFont(textFont(12));
  value->setWordWrap(true);
  value->setAlignment(Qt::AlignRight);
  grid->addWidget(value, row, 1);
  return value;
}

void VectorSide::addFacts(QVBoxLayout* column) {
  auto* grid = new QGridLayout(card(column, tr("What it takes")));
  grid->setContentsMargins(14, 8, 14, 10);
  grid->setVerticalSpacing(2);
  grid->setColumnStretch(1, 1);
  scans_ = fact(grid, tr("scans"), "vectorScans");
  clocks_ = fact(grid, tr("clocks"), "vectorClocks");
  waits_ = fact(grid, tr("waits"), "vectorWaits");
  compares_ = fact(grid, tr("compares"), "vectorCompares");
  longest_ = fact(grid, tr("longest scan"), "vectorLongest");
  expects_ = fact(grid, tr("needs"), "vectorNeeds");
  fits_ = fact(grid, tr("chain"), "vectorFits");
  odd_ = new QLabel(this);
  odd_->setObjectName("vectorRemarks");
  odd_->setFont(textFont(12));
  odd_->setWordWrap(true);
  grid->addWidget(odd_, grid->rowCount(), 0, 1, 2);
  fromPauseText_ = mutedLabel(this, {});
  fromPauseText_->setObjectName("vectorFromPauseText");
  fromPauseText_->setWordWrap(true);
  grid->addWidget(fromPauseText_, grid->rowCount(), 0, 1, 2);
  fromPause_ = new QComboBox(this);
  fromPause_->setObjectName("vectorFromPause");
  fromPause_->setFont(textFont(12));
  fromPause_->addItem(tr("through Update"), static_cast<int>(svf::FromPause::Update));
  fromPause_->addItem(tr("straight into Shift"), static_cast<int>(svf::FromPause::Shift));
  fromPause_->setAccessibleName(tr("Scans that begin in a pause state"));
  fromPause_->setToolTip(tr("The standard allows both; players differ, and the file was made for one of them."));
  connect(fromPause_, &QComboBox::activated, this, [this](int index) {
    document_.playing().setFromPause(static_cast<svf::FromPause>(fromPause_->itemData(index).toInt()));
  });
  grid->addWidget(fromPause_, grid->rowCount(), 0, 1, 2);
}

void VectorSide::addNow(QVBoxLayout* column) {
  nowCard_ = card(column, tr("Now"), &nowTitle_);
  auto* inside = new QVBoxLayout(nowCard_);
  inside->setContentsMargins(14, 8, 14, 10);
  now_ = new QLabel(nowCard_);
  now_->setObjectName("vectorNow");
  now_->setFont(textFont(12));
  now_->setWordWrap(true);
  now_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  inside->addWidget(now_);
}

void VectorSide::addButtons(QVBoxLayout* column) {
  go_ = new QPushButton(this);
  go_->setObjectName("vectorGo");
  go_->setProperty("role", "main");
  connect(go_, &QPushButton::clicked, this, [this] {
    if (document_.isPreview()) return saveAs();
    document_.playAction->trigger();
  });
  column->addWidget(go_);
  links_ = new QWidget(this);
  auto* row = new QHBoxLayout(links_);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(2);
  const auto link = [&](const QString& text, const char* name, auto&& act) {
    auto* button = smallButton(links_, text, sentence(text));
    button->setObjectName(name);
    connect(button, &QToolButton::clicked, this, act);
    row->addWidget(button);
    return button;
  };
  pause_ = link(tr("pause"), "vectorPause", [this] { document_.playing().pauseOrGoOn(); });
  past_ = link(tr("go on past this"), "vectorPast", [this] { document_.playing().goOnPast(); });
  fromStart_ = link(tr("from the start"), "vectorFromStart", [this] { document_.playing().play(0); });
  copy_ = link(tr("copy as text"), "vectorCopy", [this] { copyMismatch(); });
  row->addStretch(1);
  column->addWidget(links_);
}

void VectorSide::addChoices(QVBoxLayout* column) {
  choiceCard_ = card(column, tr("How it is written"), &choiceTitle_);
  auto* inside = new QVBoxLayout(choiceCard_);
  inside->setContentsMargins(14, 8, 14, 10);
  inside->setSpacing(5);
  const auto box = [&](const QString& text, const char* name) {
    auto* check = new QCheckBox(text, choiceCard_);
    check->setObjectName(name);
    check->setFont(textFont(12));
    connect(check, &QCheckBox::clicked, this, &VectorSide::choose);
    inside->addWidget(check);
    return check;
  };
  verify_ = box(tr("compare what was written"), "exportVerify");
  load_ = box(tr("load the bridge first"), "exportLoad");
  known_ = box(tr("keep what the memory holds, as far as read"), "exportKnown");
  short_ = box(tr("short digits (some players refuse them)"), "exportShort");
  auto* row = new QHBoxLayout;
  row->addWidget(mutedLabel(choiceCard_, tr("TCK, MHz")));
  clock_ = new QLineEdit(choiceCard_);
  clock_->setObjectName("exportClock");
  clock_->setAccessibleName(tr("TCK in MHz"));
  clock_->setFixedWidth(80);
  connect(clock_, &QLineEdit::editingFinished, this, &VectorSide::choose);
  row->addWidget(clock_);
  row->addStretch(1);
  inside->addLayout(row);
}

void VectorSide::refresh() {
  if (!document_.isOpen()) return;
  refreshFacts();
  refreshNow();
  refreshContents();
}

void VectorSide::refreshFit() {
  if (!document_.isOpen()) return;
  QString words = tr("nothing is connected");
  const char* role = "muted";
  if (bench_.link().state() == LinkState::Connected || bench_.link().state() == LinkState::Mismatch) {
    try {
      const auto reader = VectorFile::reader(document_.file());
      const auto why = svf::misfit(*reader, document_.chain());
      words = why ? sentence(QString::fromStdString(*why).section(": ", 1)) : tr("fits what is connected");
      role = why ? "differs" : "agrees";
    } catch (const Error&) {
      words = tr("cannot be told");
    }
  }
  fits_->setText(words);
  setRole(fits_, role);
}

void VectorSide::refreshFacts() {
  const svf::Survey& s = document_.survey();
  const QString more = s.whole || s.problem ? QString() : tr(", and more");
  scans_->setText(tr("instruction %1, data %2%3").arg(s.irScans).arg(s.drScans).arg(more));
  clocks_->setText(tr("%1, %2 in all%3").arg(countedMillions(s.clocks), secondsText(s.seconds), more));
  waits_->setText(s.waits == 0 ? tr("none") : tr("%1, %2 together").arg(s.waits).arg(secondsText(s.waitSeconds)));
  compares_->setText(s.compares == 0
                         ? tr("none")
                         : tr("%1 in %2 scans").arg(QString::fromStdString(bitsText(s.comparedBits))).arg(s.compares));
  longest_->setText(QString::fromStdString(bitsText(s.longestScan)));
  QStringList needs;
  for (const auto& need : s.needs)
    needs += tr("%1 (line %2)").arg(QString::fromStdString(need.what)).arg(need.place.line);
  expects_->setText(needs.isEmpty() ? tr("nothing but a TAP") : needs.join(", "));
  const std::vector<std::string> pins =
      bench_.link().report() ? bench_.link().report()->probe.pins : std::vector<std::string>();
  setRole(expects_, bench::missing(s, pins) == nullptr ? "" : "differs");
  QStringList odd;
  for (const auto& remark : s.remarks)
    odd += tr("line %1: %2").arg(remark.place.line).arg(QString::fromStdString(remark.text));
  odd_->setText(odd.join("\n"));
  odd_->setVisible(!odd.isEmpty());
  // Files of ours are made for the way through Update.
  const bool asks = s.fromPause > 0 && !s.ours;
  fromPauseText_->setText(
      tr("Scans that begin in the pause state of their own register (%1, the first in line %2) go on")
          .arg(s.fromPause)
          .arg(s.firstFromPause.line));
  fromPauseText_->setVisible(asks);
  fromPause_->setVisible(asks);
  fromPause_->setEnabled(document_.playing().mayChooseWay());
  fromPause_->setCurrentIndex(fromPause_->findData(static_cast<int>(document_.playing().fromPause())));
  const bool preview = document_.isPreview();
  choiceCard_->setVisible(preview);
  choiceTitle_->setVisible(preview);
  const ExportChoice& choice = document_.choice();
  verify_->setChecked(choice.verify);
  load_->setChecked(choice.load);
  short_->setChecked(choice.shortDigits);
  known_->setChecked(choice.knownContents);
  if (!clock_->hasFocus()) clock_->setText(s.hz ? QString::number(*s.hz / 1e6) : QString());
}

QString VectorSide::goText() const {
  if (document_.isPreview()) return tr("Save as SVF…");
  switch (document_.playing().state()) {
    case PlayState::Playing:
    case PlayState::Paused:
      return tr("Stop playing");
    case PlayState::AtMismatch:
      return tr("Stop here");
    case PlayState::Ended: {
      const bool whole =
          document_.playing().report() && document_.playing().report()->result.end == svf::PlayResult::End::Whole;
      const auto safe = document_.playing().safePoint();
      if (whole || !safe) return tr("Play again");
      if (safe->title.empty()) return tr("Play again from line %1").arg(safe->place.line);
      return tr("Play again from %1").arg(QString::fromStdString(safe->title).section(" of ", 0, 0).toLower());
    }
    case PlayState::Nothing:
      break;
  }
  const svf::Survey& s = document_.survey();
  return s.whole ? tr("Play all of it, %1").arg(secondsText(s.seconds)) : tr("Play");
}

void VectorSide::refreshNow() {
  const PlayState state = document_.playing().state();
  const bool busy = state == PlayState::Playing || state == PlayState::Paused || state == PlayState::AtMismatch;
  go_->setText(goText());
  go_->setEnabled(document_.isPreview() || document_.playAction->isEnabled());
  setRole(go_, busy ? "stops" : "main");
  go_->setToolTip(document_.playAction->shortcut().toString(QKeySequence::NativeText));
  pause_->setVisible(state == PlayState::Playing || state == PlayState::Paused);
  pause_->setText(state == PlayState::Paused ? tr("go on") : tr("pause"));
  past_->setVisible(state == PlayState::AtMismatch);
  fromStart_->setVisible(state == PlayState::Ended && document_.playing().safePoint().has_value());
  fromStart_->setEnabled(document_.playing().canPlay());
  copy_->setVisible(document_.playing().mismatch().has_value());
  links_->setVisible(!document_.isPreview());

  QString words;
  const svf::Survey& survey = document_.survey();
  if (survey.problem) {
    words = QString::fromStdString(survey.problem->full());
  } else if (state == PlayState::Playing || state == PlayState::Paused) {
    words = tr("%1 of %2, %3 of %4; %5 held.")
                .arg(secondsText(document_.playing().playedSeconds()), secondsText(survey.seconds),
                     QString::fromStdString(sizeText(document_.playing().played().place.offset)),
                     QString::fromStdString(sizeText(survey.end.offset)),
                     QString::fromStdString(countText(document_.playing().played().compares, "comparison")));
    if (state == PlayState::Paused) words += tr(" The TAP rests, and nothing goes on until you say so.");
  } else if (state == PlayState::AtMismatch) {
    words = tr("The TAP rests; nothing after this scan was sent.") + soFar(document_.playing().mismatch()->place.line);
  } else if (state == PlayState::Ended && document_.playing().report()) {
    // The sentence is in the log too; what it means for the memory is only here.
    words = QString::fromStdString(document_.playing().report()->record.message);
    if (document_.playing().report()->result.end != svf::PlayResult::End::Whole)
      words += soFar(document_.playing().played().place.line);
  }
  now_->setText(words);
  nowCard_->setVisible(!words.isEmpty());
  nowTitle_->setVisible(!words.isEmpty());
}

void VectorSide::choose() {
  ExportChoice choice = document_.choice();
  choice.verify = verify_->isChecked();
  choice.load = load_->isChecked();
  choice.shortDigits = short_->isChecked();
  choice.knownContents = known_->isChecked();
  bool number = false;
  const double mhz = clock_->text().toDouble(&number);
  if (number && mhz >= 0.001 && mhz <= 1000) choice.hz = static_cast<std::uint32_t>(std::lround(mhz * 1e6));
  document_.setChoice(choice);
}

void VectorSide::copyMismatch() {
  if (const auto* panel = window()->findChild<MismatchPanel*>("mismatchPanel"))
    QApplication::clipboard()->setText(panel->text());
}

void VectorSide::saveAs() {
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save as SVF"), QString::fromStdString(bench_.memory()) + ".svf", tr("Vectors (*.svf)"));
  if (!path.isEmpty()) document_.savePreview(path);
}

}  // namespace imprimo::app
