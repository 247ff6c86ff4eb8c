// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/probe_panel.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <algorithm>

#include "app/look/empty_layout.h"
#include "app/look/theme.h"

namespace imprimo::app {
namespace {

constexpr int kWidth = 420;
constexpr int kTextWidth = kWidth - 2 * 14 - 2 * 11;  // inside a card
constexpr int kMostRecentAddresses = 3;

/// A label whose layout does not ask how high its words are, gets the height that they need.
QLabel* wrapped(QLabel* label) {
  label->setWordWrap(true);
  label->setFixedWidth(kTextWidth);
  label->setMinimumHeight(label->heightForWidth(kTextWidth));
  return label;
}

/// A sign for the state beside its colour: a dot for one that works, a ring for one that does not yet, a bar for slow.
QString signOf(probe::ProbeState state) {
  return state == probe::ProbeState::Ready ? "●" : state == probe::ProbeState::SlowLink ? "◐" : "○";
}

}  // namespace

ProbePanel::ProbePanel(Workbench& bench, QWidget* parent) : QFrame(parent, Qt::Popup), bench_(bench) {
  setObjectName("probePanel");
  setAccessibleName(tr("Probes"));
  setFixedWidth(kWidth);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(14, 12, 14, 12);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  auto* title = label(tr("Probes on this computer"), "", 13, this);
  title->setFont(textFont(13, QFont::DemiBold));
  look_ = new QPushButton(tr("look again"), this);
  look_->setObjectName("lookAgain");
  look_->setFont(textFont(12));
  head->addWidget(title);
  head->addStretch(1);
  head->addWidget(look_);
  column->addLayout(head);
  list_ = new QVBoxLayout;
  list_->setSpacing(6);
  column->addLayout(list_);
  note_ = label({}, "muted", 12, this);
  note_->setObjectName("probeNote");
  note_->setWordWrap(true);
  column->addWidget(note_);

  auto* others = label(tr("Elsewhere"), "", 13, this);
  others->setFont(textFont(13, QFont::DemiBold));
  column->addWidget(others);
  column->addLayout(elsewhere());
  recent_ = new QWidget(this);
  recentList_ = new QVBoxLayout(recent_);
  recentList_->setContentsMargins(0, 0, 0, 0);
  recentList_->setSpacing(2);
  column->addWidget(recent_);

  connect(look_, &QPushButton::clicked, this, [this] {
    note_->setText(tr("Looking …"));
    note_->show();
    bench_.session().listProbes();
  });
  connect(&bench_.session(), &BenchSession::probesListed, this, &ProbePanel::fill);
  connect(&bench_.session(), &BenchSession::probeTrouble, this, [this](const QString& why) {
    note_->setText(sentence(why));
    note_->show();
    fit();
  });
}

/// A line for the address of a probe that this computer does not have.
QHBoxLayout* ProbePanel::elsewhere() {
  auto* row = new QHBoxLayout;
  address_ = new QLineEdit(this);
  address_->setObjectName("probeAddress");
  address_->setAccessibleName(tr("Address of a probe"));
  address_->setPlaceholderText("tcp:localhost:4711");
  address_->setFont(byteFont(12));
  auto* use = new QPushButton(tr("Connect"), this);
  use->setObjectName("useAddress");
  use->setFont(textFont(12, QFont::DemiBold));
  row->addWidget(address_, 1);
  row->addWidget(use);
  const auto typed = [this] {
    if (!address_->text().trimmed().isEmpty()) pick(address_->text().trimmed());
  };
  connect(use, &QPushButton::clicked, this, typed);
  connect(address_, &QLineEdit::returnPressed, this, typed);
  return row;
}

QLabel* ProbePanel::label(const QString& text, const char* role, int pixels, QWidget* parent) {
  auto* l = new QLabel(text, parent);
  if (*role != '\0') l->setProperty("role", role);
  l->setFont(textFont(pixels));
  return l;
}

void ProbePanel::openBelow(QWidget* anchor, bool choose) {
  choose_ = choose;
  emptyLayout(list_);
  note_->setText(tr("Looking …"));
  note_->show();
  adjustSize();
  const QPoint corner = anchor->mapToGlobal(QPoint(anchor->width(), anchor->height() + 4));
  move(corner.x() - width(), corner.y());
  show();
  address_->setFocus();
  address_->selectAll();
  bench_.session().listProbes();
}

void ProbePanel::setRecent(const QStringList& recent) {
  emptyLayout(recentList_);
  for (const QString& entry : recent.mid(0, kMostRecentAddresses)) {
    auto* b = new QPushButton(entry, recent_);
    b->setObjectName("recentProbe");
    b->setFont(byteFont(12));
    connect(b, &QPushButton::clicked, this, [this, entry] { pick(entry); });
    auto* row = new QHBoxLayout;
    row->addWidget(b);
    row->addStretch(1);
    recentList_->addLayout(row);
  }
  if (address_->text().isEmpty() && !recent.isEmpty()) address_->setText(recent.front());
}

void ProbePanel::fill(const probe::ProbeListing& listing) {
  // Probes come and go while somebody is on one of them.
  const QWidget* focus = focusWidget();
  const QString of = focus == nullptr ? QString() : focus->property("of").toString();
  emptyLayout(list_);
  for (const probe::ProbeEntry& entry : listing.probes) addProbe(entry);
  if (!of.isEmpty()) {
    const auto buttons = findChildren<QPushButton*>();
    const auto same = std::find_if(buttons.begin(), buttons.end(),
                                   [&](const QPushButton* each) { return each->property("of").toString() == of; });
    (same == buttons.end() ? static_cast<QWidget*>(address_) : *same)->setFocus();
  }
  note_->setVisible(listing.probes.empty());
  note_->setText(listing.probes.empty() ? sentence(QString::fromStdString(listing.nothingFound())) + "." : QString());
  fit();
}

void ProbePanel::fit() {
  layout()->activate();
  adjustSize();
}

/// `of`: which probe, which buttons of that name are told apart by.
void ProbePanel::addAction(QVBoxLayout* column, const QString& text, const QString& of, const char* name,
                           std::function<void()> act) {
  auto* b = new QPushButton(text);
  b->setObjectName(name);
  b->setAccessibleName(tr("%1: %2").arg(text, of));
  b->setProperty("of", of);
  b->setFont(textFont(12, QFont::DemiBold));
  connect(b, &QPushButton::clicked, this, std::move(act));
  auto* row = new QHBoxLayout;
  row->addWidget(b);
  row->addStretch(1);
  column->addLayout(row);
}

void ProbePanel::addProbe(const probe::ProbeEntry& entry) {
  auto* card = new QFrame(this);
  card->setObjectName("card");
  auto* column = new QVBoxLayout(card);
  column->setContentsMargins(10, 8, 10, 8);
  column->setSpacing(2);
  auto* head = new QHBoxLayout;
  auto* name = label(QString::fromStdString(entry.product.empty() ? entry.address : entry.product), "", 13, card);
  name->setFont(textFont(13, QFont::DemiBold));
  head->addWidget(name);
  head->addStretch(1);
  head->addWidget(label(QString::fromStdString(entry.kind), "muted", 11, card));
  column->addLayout(head);
  auto* address = label(QString::fromStdString(entry.address), "muted", 11, card);
  address->setFont(byteFont(11));
  column->addWidget(address);
  QString words = signOf(entry.state) + "  " + sentence(QString::fromStdString(entry.what));
  if (entry.state == probe::ProbeState::Ready && entry.roundTrip) {
    words += tr(", %1, %2 ms round trip")
                 .arg(QString::fromStdString(entry.speaks))
                 .arg(static_cast<double>(entry.roundTrip->count()) / 1000, 0, 'f', 1);
  }
  auto* state = label(words, entry.usable() ? "agrees" : "differs", 12, card);
  state->setObjectName("probeState");
  column->addWidget(wrapped(state));
  // Where a button does it, the words need not name the command that does it in a terminal.
  const QString remedy = entry.state == probe::ProbeState::KernelDriver
                             ? tr("The serial port comes back when it is plugged in again.")
                         : entry.state == probe::ProbeState::NoPermission
                             ? tr("A udev rule lets you in (%1); then plug it in again.")
                                   .arg(QString::fromStdString(probe::udevRulePath().string()))
                             : QString::fromStdString(entry.remedy);
  if (!remedy.isEmpty()) column->addWidget(wrapped(label(remedy, "muted", 12, card)));
  const QString of =
      QString::fromStdString(entry.product.empty() ? entry.address : entry.product + ", " + entry.address);
  if (entry.usable()) {
    addAction(column, tr("Connect"), of, "useProbe", [this, a = QString::fromStdString(entry.address)] { pick(a); });
  } else if (entry.state == probe::ProbeState::KernelDriver) {
    addAction(column, tr("Release it"), of, "releaseProbe", [this, entry] { bench_.session().releaseDriver(entry); });
  } else if (entry.state == probe::ProbeState::NoPermission) {
    addAction(column, tr("Install the rule…"), of, "installRule", [this] { bench_.session().installRule(); });
  }
  list_->addWidget(card);
}

void ProbePanel::pick(const QString& address) {
  hide();
  emit chosen(address, choose_);
}

void ProbePanel::walk(int step) {
  QWidget* next = focusWidget() != nullptr ? focusWidget() : address_;
  do {
    next = step > 0 ? next->nextInFocusChain() : next->previousInFocusChain();
  } while (next != focusWidget() && (!isAncestorOf(next) || !next->isVisible() || next->focusPolicy() == Qt::NoFocus));
  next->setFocus(Qt::TabFocusReason);
}

void ProbePanel::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Down) return walk(1);
  if (event->key() == Qt::Key_Up) return walk(-1);
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
    if (auto* b = qobject_cast<QPushButton*>(focusWidget())) return b->click();
  }
  QFrame::keyPressEvent(event);
}

}  // namespace imprimo::app
