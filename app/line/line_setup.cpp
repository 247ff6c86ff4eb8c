// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/line_setup.h"

#include <QHBoxLayout>
#include <QLineEdit>

#include "core/base/number.h"

namespace imprimo::app {
namespace {

QString rulesText(const release::Release& release) {
  const release::LineRules& line = release.manifest.line;
  QStringList words;
  words += line.startsByItself ? LineSetup::tr("A board begins by itself.") : LineSetup::tr("A board begins at a key.");
  if (line.units) words += LineSetup::tr("No more than %1 good ones.").arg(*line.units);
  if (line.signOn) words += LineSetup::tr("Operators sign on.");
  return words.join(" ");
}

}  // namespace

LineSetup::LineSetup(Workbench& bench, LineDesk& desk, QWidget* parent) : QWidget(parent), bench_(bench), desk_(desk) {
  auto* across = new QHBoxLayout(this);
  across->setContentsMargins(16, 40, 16, 16);
  auto* card = new QFrame(this);
  card->setObjectName("card");
  card->setMaximumWidth(720);
  across->addStretch(1);
  across->addWidget(card, 4, Qt::AlignTop);
  across->addStretch(1);
  auto* column = new QVBoxLayout(card);
  column->setContentsMargins(28, 24, 28, 24);
  column->setSpacing(10);
  const auto heading = [&](const QString& text) {
    auto* label = new QLabel(text, card);
    label->setFont(textFont(14, QFont::DemiBold));
    column->addWidget(label);
  };
  heading(tr("Release"));
  auto* row = new QHBoxLayout;
  release_ = new QLabel(card);
  release_->setObjectName("lineRelease");
  release_->setFont(textFont(14));
  release_->setWordWrap(true);
  open_ = firmButton(card, "lineOpen");
  open_->setText(tr("Open a release…"));
  make_ = firmButton(card, "lineMake");
  make_->setText(tr("Release this sheet…"));
  row->addWidget(release_, 1);
  row->addWidget(make_);
  row->addWidget(open_);
  column->addLayout(row);
  rules_ = mutedLabel(card, {});
  rules_->setObjectName("lineRules");
  rules_->setWordWrap(true);
  column->addWidget(rules_);
  column->addSpacing(10);
  heading(tr("Places, a probe each"));
  probes_ = new QListWidget(card);
  probes_->setObjectName("lineProbes");
  probes_->setAccessibleName(tr("Probes of the line"));
  probes_->setFont(textFont(13));
  probes_->setFixedHeight(200);
  column->addWidget(probes_);
  address_ = new QLineEdit(card);
  address_->setObjectName("lineAddress");
  address_->setPlaceholderText(tr("address of a probe elsewhere, then Return"));
  address_->setAccessibleName(tr("Address of a probe elsewhere"));
  address_->setFont(byteFont(13));
  column->addWidget(address_);
  operator_ = new QLineEdit(card);
  operator_->setObjectName("lineOperator");
  operator_->setPlaceholderText(tr("who works here: a name, or a badge"));
  operator_->setAccessibleName(tr("Who works here"));
  operator_->setFont(textFont(14));
  column->addWidget(operator_);
  column->addSpacing(10);
  auto* last = new QHBoxLayout;
  missing_ = mutedLabel(card, {});
  missing_->setObjectName("lineMissing");
  missing_->setWordWrap(true);
  begin_ = firmButton(card, "lineBegin");
  begin_->setText(tr("Begin"));
  begin_->setProperty("role", "main");
  lock_ = firmButton(card, "lineLock");
  lock_->setText(tr("Lock and begin…"));
  last->addWidget(missing_, 1);
  last->addWidget(lock_);
  last->addWidget(begin_);
  column->addLayout(last);
  connect(open_, &QPushButton::clicked, this, &LineSetup::openWanted);
  connect(make_, &QPushButton::clicked, this, &LineSetup::makeWanted);
  connect(&bench_, &Workbench::sheetChanged, this, &LineSetup::refresh);
  connect(begin_, &QPushButton::clicked, &desk_, &LineDesk::begin);
  connect(lock_, &QPushButton::clicked, this, &LineSetup::lockWanted);
  connect(operator_, &QLineEdit::textEdited, this, [this](const QString& text) { desk_.signOn(text.trimmed()); });
  connect(operator_, &QLineEdit::returnPressed, &desk_, &LineDesk::begin);
  connect(address_, &QLineEdit::returnPressed, this, [this] {
    const QString text = address_->text().trimmed();
    if (text.isEmpty()) return;
    addProbe(text, text, true);
    address_->clear();
    takeChosen();
  });
  connect(probes_, &QListWidget::itemChanged, this, &LineSetup::takeChosen);
  connect(&bench_.session(), &BenchSession::probesListed, this, [this](const probe::ProbeListing& listing) {
    for (const probe::ProbeEntry& entry : listing.probes) {
      const QString address = QString::fromStdString(entry.address);
      addProbe(address, QString::fromStdString(entry.product + "  " + entry.serial) + "  " + address, false);
    }
  });
  connect(&desk_, &LineDesk::changed, this, &LineSetup::refresh);
  for (const QString& address : desk_.probes()) addProbe(address, address, true);
  refresh();
}

void LineSetup::look() {
  if (bench_.link().isConnected()) addProbe(bench_.link().address(), bench_.link().address(), false);
  bench_.session().listProbes();
}

void LineSetup::addProbe(const QString& address, const QString& words, bool chosen) {
  const QSignalBlocker quiet(probes_);
  for (int i = 0; i < probes_->count(); ++i) {
    if (probes_->item(i)->data(Qt::UserRole).toString() == address) return;
  }
  auto* item = new QListWidgetItem(words, probes_);
  item->setData(Qt::UserRole, address);
  item->setFlags(Qt::ItemIsUserCheckable | Qt::ItemIsEnabled | Qt::ItemIsSelectable);
  item->setCheckState(chosen ? Qt::Checked : Qt::Unchecked);
}

void LineSetup::takeChosen() {
  QStringList addresses;
  for (int i = 0; i < probes_->count(); ++i) {
    if (probes_->item(i)->checkState() == Qt::Checked) addresses += probes_->item(i)->data(Qt::UserRole).toString();
  }
  desk_.setProbes(addresses);
}

void LineSetup::refresh() {
  const release::Release* release = desk_.release();
  release_->setText(release == nullptr ? tr("None is open. It is made from a sheet, and signed.")
                                       : tr("%1, release %2, signed by %3")
                                             .arg(QString::fromStdString(release->manifest.title))
                                             .arg(release->manifest.number)
                                             .arg(QString::fromStdString(release->signer.name)));
  rules_->setText(release == nullptr ? QString() : rulesText(*release));
  const bool locked = desk_.isLocked();
  open_->setVisible(!locked);
  make_->setVisible(!locked && bench_.document().isOpen());
  lock_->setVisible(!locked);
  probes_->setEnabled(!locked);
  address_->setVisible(!locked);
  operator_->setVisible(release != nullptr && release->manifest.line.signOn);
  const QString missing = desk_.missing();
  missing_->setText(missing);
  begin_->setEnabled(missing.isEmpty());
  lock_->setEnabled(release != nullptr && !desk_.probes().isEmpty());
}

}  // namespace imprimo::app
