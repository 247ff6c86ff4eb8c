// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/chosen_port.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"

namespace imprimo::app {
namespace {

constexpr int kAnyLevel = 0;  // rows of the level that a port should have
constexpr double kMostHertz = 1e8;

}  // namespace

ChosenPort::ChosenPort(Workbench& bench, PinsModel& model, QWidget* parent)
    : QWidget(parent), bench_(bench), model_(model) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  words_ = mutedLabel(this, {});
  words_->setObjectName("pinsChosen");
  words_->setWordWrap(true);
  column->addWidget(words_);
  makeLevels();
  makeMore();
  tried_ = mutedLabel(this, {});
  tried_->setObjectName("pinsTried");
  tried_->setWordWrap(true);
  column->addWidget(tried_);
  connect(&model_, &PinsModel::triedContinuity, this, [this](const QString& words) { tried_->setText(words); });
  connect(&model_, &PinsModel::deviceWillChange, this, [this] {
    port_.reset();
    joinFrom_.reset();
    announced_.reset();
    tried_->clear();
    name_->clear();
    wanted_->setCurrentIndex(kAnyLevel);
  });
  refresh();
}

QToolButton* ChosenPort::button(const char* name, const QString& text, const QString& what, QWidget* parent) {
  QToolButton* made = smallButton(parent, text, what);
  made->setObjectName(name);
  made->setMinimumWidth(40);
  return made;
}

void ChosenPort::makeLevels() {
  auto* column = static_cast<QVBoxLayout*>(layout());
  auto* row = new QHBoxLayout;
  low_ = button("pinsLow", "0", tr("Drive the port with 0"), this);
  high_ = button("pinsHigh", "1", tr("Drive the port with 1"), this);
  open_ = button("pinsOpen", tr("let go"), tr("Let the port go"), this);
  traced_ = button("pinsTraced", tr("trace"), tr("Show what the port did last"), this);
  join_ = button("pinsJoin", tr("joined?"), {}, this);
  for (QToolButton* each : {low_, high_, open_, traced_, join_}) row->addWidget(each);
  row->addStretch(1);
  column->addLayout(row);
  connect(low_, &QToolButton::clicked, this, [this] { wish(Wish::Low); });
  connect(high_, &QToolButton::clicked, this, [this] { wish(Wish::High); });
  connect(open_, &QToolButton::clicked, this, [this] {
    if (port_) model_.drive(port_->port, std::nullopt);
  });
  connect(traced_, &QToolButton::clicked, this, [this] {
    if (port_) emit traceWanted(*port_);
  });
  connect(join_, &QToolButton::clicked, this, [this] {
    if (!joinFrom_ || joinFrom_ == port_) {
      joinFrom_ = joinFrom_ ? std::nullopt : port_;
      tried_->clear();
      return refresh();
    }
    wish(Wish::Join);
  });
}

void ChosenPort::makeMore() {
  auto* column = static_cast<QVBoxLayout*>(layout());
  auto* row = new QHBoxLayout;
  hertz_ = new QLineEdit("1000", this);
  hertz_->setObjectName("pinsHertz");
  hertz_->setAccessibleName(tr("Clock that the port is driven with, in Hz"));
  hertz_->setMaximumWidth(80);
  clock_ = button("pinsClock", tr("Hz clock"), tr("Drive the port as a clock, as long as this is on"), this);
  clock_->setCheckable(true);
  row->addWidget(hertz_);
  row->addWidget(clock_);
  row->addStretch(1);
  column->addLayout(row);
  auto* named = new QHBoxLayout;
  name_ = new QLineEdit(this);
  name_->setObjectName("pinsName");
  name_->setPlaceholderText(tr("name on this board"));
  name_->setAccessibleName(tr("What the port is on this board, for the sheet"));
  wanted_ = new QComboBox(this);
  wanted_->setObjectName("pinsWanted");
  wanted_->setAccessibleName(tr("Level that the port should have"));
  wanted_->addItems({tr("any level"), tr("should be 0"), tr("should be 1")});
  for (QWidget* each : {static_cast<QWidget*>(hertz_), static_cast<QWidget*>(name_), static_cast<QWidget*>(wanted_)})
    each->setFont(textFont(13));
  named->addWidget(name_, 1);
  named->addWidget(wanted_);
  column->addLayout(named);
  connect(clock_, &QToolButton::clicked, this, [this] {
    if (port_ && model_.clocks().contains(port_->port)) return model_.drive(port_->port, std::nullopt);
    wish(Wish::Clock);
  });
  connect(hertz_, &QLineEdit::textChanged, this, &ChosenPort::refresh);
  connect(hertz_, &QLineEdit::editingFinished, this, [this] {
    // One that runs takes another rate at once.
    if (port_ && model_.clocks().contains(port_->port) && hertz()) model_.driveClock(port_->port, *hertz());
  });
  connect(name_, &QLineEdit::editingFinished, this, &ChosenPort::keepLabel);
  connect(wanted_, &QComboBox::activated, this, &ChosenPort::keepLabel);
}

std::optional<double> ChosenPort::hertz() const {
  bool number = false;
  const double value = hertz_->text().toDouble(&number);
  if (!number || !(value > 0) || value > kMostHertz) return std::nullopt;
  return value;
}

void ChosenPort::setPort(std::optional<pins::PortOf> port) {
  if (port == port_) return;
  if (name_->isModified()) keepLabel();
  port_ = port;
  const sheet::PinLabel* label = port_ ? model_.label(*port_) : nullptr;
  name_->setText(label == nullptr ? QString() : QString::fromStdString(label->name));
  wanted_->setCurrentIndex(label == nullptr || !label->level ? kAnyLevel : *label->level ? 2 : 1);
  refresh();
}

void ChosenPort::keepLabel() {
  if (!port_) return;
  const int row = wanted_->currentIndex();
  model_.setLabel(*port_, name_->text(), row == kAnyLevel ? pins::Level() : pins::Level(row == 2));
}

/// The first time it is said before it is done.
void ChosenPort::wish(Wish::Kind kind) {
  if (!port_) return;
  const Wish wanted{kind, *port_};
  const bool said = model_.drivesAny() && kind != Wish::Join;
  if (!said && announced_ != wanted) {
    announced_ = wanted;
  } else {
    announced_.reset();
    carryOut(kind);
  }
  refresh();
  emit announcedChanged();
}

void ChosenPort::carryOut(Wish::Kind kind) {
  if (kind == Wish::Join) {
    tried_->setText(tr("Trying…"));
    model_.tryContinuity(*std::exchange(joinFrom_, std::nullopt), *port_);
  } else if (kind == Wish::Clock) {
    if (const auto rate = hertz()) model_.driveClock(port_->port, *rate);
  } else {
    model_.drive(port_->port, kind == Wish::High);
  }
}

QString ChosenPort::announced() const {
  if (!announced_) return {};
  QString words;
  switch (announced_->kind) {
    case Wish::Join:
      words = joinFrom_ ? tr("%1 and %2 are driven with 0 and 1 in turn, as far as they can be; meanwhile the device’s "
                             "own logic is cut off from all its pins.")
                              .arg(model_.nameOf(*joinFrom_), model_.nameOf(announced_->port))
                        : QString();
      return words.isEmpty() ? words : words + tr("  The same button again tries it.");
    case Wish::Clock:
      words = model_.wouldDrive(announced_->port.port, tr("%1 Hz").arg(hertz_->text()));
      break;
    default:
      words = model_.wouldDrive(announced_->port.port, announced_->kind == Wish::High ? "1" : "0");
      break;
  }
  return words.isEmpty() ? words : words + tr("  The same button again drives it.");
}

void ChosenPort::refresh() {
  if (announced_ &&
      (announced_->port != port_ || !model_.isSampled() || (announced_->kind != Wish::Join && model_.drivesAny()))) {
    announced_.reset();
    emit announcedChanged();
  }
  QString words = tr("Choose a port to drive it."), why;
  if (port_) {
    const pins::BoundaryPort& of = model_.port(*port_);
    words = model_.nameOf(*port_);
    if (!of.pin.empty()) words += tr(", pin %1").arg(QString::fromStdString(of.pin));
    why = model_.whyNot(*port_);
    if (const QString own = model_.ownDrive(*port_); !own.isEmpty()) words += "; " + own;
  }
  words_->setText(why.isEmpty() ? words : why);
  const bool idle = port_ && model_.isSampled() && !bench_.run().isRunning();
  const bool may = idle && why.isEmpty();
  low_->setEnabled(may);
  high_->setEnabled(may);
  open_->setEnabled(may && model_.drives().contains(port_->port));
  const bool runs = port_ && port_->device == 0 && model_.clocks().contains(port_->port);
  clock_->setEnabled(may && hertz());
  clock_->setChecked(runs);
  clock_->setText(runs ? tr("Hz, running: stop") : tr("Hz clock"));
  traced_->setEnabled(port_ && model_.port(*port_).input);
  join_->setEnabled(idle && !model_.drivesAny());
  const bool second = joinFrom_ && port_ && joinFrom_ != port_;
  const QString what = second ? tr("Drive the two in turn and look whether they are joined")
                              : tr("Choose this one, then another, to see whether they are joined");
  setWords(join_,
           second      ? tr("joined to %1?").arg(model_.nameOf(*joinFrom_))
           : joinFrom_ ? tr("…and?")
                       : tr("joined?"),
           what);
  if (joinFrom_ && !second) tried_->setText(tr("Choose the other port, then the same button."));
  name_->setEnabled(port_.has_value());
  wanted_->setEnabled(port_ && model_.port(*port_).input);
}

}  // namespace imprimo::app
