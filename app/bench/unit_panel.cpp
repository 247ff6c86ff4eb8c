// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/unit_panel.h"

#include <QHBoxLayout>
#include <QLineEdit>

#include "app/look/empty_layout.h"
#include "app/look/small_widgets.h"

namespace imprimo::app {

UnitPanel::UnitPanel(Workbench& bench, QWidget* parent) : QFrame(parent), bench_(bench) {
  setObjectName("card");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(10, 8, 8, 8);
  column->setSpacing(4);
  on_ = new QCheckBox(this);
  on_->setObjectName("unitOn");
  on_->setFont(textFont(13, QFont::DemiBold));
  on_->setToolTip(tr("Whether these numbers go in with what is written next"));
  column->addWidget(on_);
  rows_ = new QGridLayout;
  rows_->setHorizontalSpacing(8);
  rows_->setVerticalSpacing(1);
  rows_->setColumnStretch(1, 1);
  column->addLayout(rows_);
  problem_ = new QLabel(this);
  problem_->setObjectName("unitProblem");
  problem_->setProperty("role", "trouble");
  problem_->setFont(textFont(12));
  problem_->setWordWrap(true);
  column->addWidget(problem_);
  aside_ = new QPushButton(this);
  aside_->setObjectName("unitAside");
  aside_->setFont(textFont(12));
  column->addWidget(aside_);
  connect(aside_, &QPushButton::clicked, &bench_.units(), &UnitModel::goOnAside);
  counts_ = mutedLabel(this, {});
  counts_->setObjectName("unitCounts");
  counts_->setWordWrap(true);
  column->addWidget(counts_);
  connect(on_, &QCheckBox::toggled, this, [this](bool on) { bench_.units().setOn(on); });
  connect(&bench_.units(), &UnitModel::changed, this, &UnitPanel::refresh);
  connect(&bench_, &Workbench::runChanged, this, [this] { on_->setEnabled(!bench_.run().isRunning()); });
  refresh();
}

/// Rows are made anew only where the fields are others, so that what is being typed stays.
void UnitPanel::rebuild() {
  emptyLayout(rows_);
  values_.clear();
  int row = 0;
  for (const UnitModel::Shown& field : bench_.units().shown()) {
    auto* name = smallButton(this, field.name, tr("%1: show %2").arg(field.name, field.where));
    name->setObjectName("unitField");
    name->setEnabled(!field.memory.empty());
    connect(name, &QToolButton::clicked, this, [this, field] {
      bench_.selectMemory(field.memory);
      bench_.cursor().jumpTo(field.at);
    });
    rows_->addWidget(name, row, 0, Qt::AlignLeft);
    if (field.given) {
      auto* edit = new QLineEdit(bench_.units().given(field.name), this);
      edit->setObjectName("unitGiven");
      edit->setAccessibleName(field.name);
      edit->setFont(byteFont(12));
      edit->setPlaceholderText(tr("type or scan"));
      connect(edit, &QLineEdit::editingFinished, this,
              [this, edit, name = field.name] { bench_.units().give(name, edit->text().trimmed()); });
      rows_->addWidget(edit, row, 1);
      values_.push_back(nullptr);
    } else {
      auto* value = new QLabel(this);
      value->setObjectName("unitValue");
      value->setFont(byteFont(12));
      value->setTextInteractionFlags(Qt::TextSelectableByMouse);
      rows_->addWidget(value, row, 1);
      values_.push_back(value);
    }
    ++row;
  }
}

void UnitPanel::refresh() {
  const UnitModel& units = bench_.units();
  setVisible(units.hasUnits());
  if (!units.hasUnits()) return;
  QString fields = units.ledger();
  for (const UnitModel::Shown& field : units.shown()) fields += "\n" + field.name + field.where;
  if (std::exchange(built_, fields) != fields) rebuild();
  on_->setText(units.id() == 0      ? tr("Unit")
               : units.isUnderWay() ? tr("Unit %1").arg(units.id())
                                    : tr("Unit %1, the next one").arg(units.id()));
  on_->setChecked(units.isOn());
  for (std::size_t i = 0; i < values_.size() && i < units.shown().size(); ++i) {
    if (values_[i] == nullptr) continue;
    const UnitModel::Shown& field = units.shown()[i];
    const QString text = field.secret            ? (units.isUnderWay() ? tr("secret") : tr("secret, made when written"))
                         : field.value.isEmpty() ? tr("known with the board")
                                                 : field.value;
    values_[i]->setText(text);
    setRole(values_[i], field.secret || field.value.isEmpty() ? "muted" : "");
  }
  for (QLineEdit* edit : findChildren<QLineEdit*>("unitGiven")) {
    if (!edit->hasFocus()) edit->setText(units.given(edit->accessibleName()));
  }
  problem_->setText(units.problem());
  problem_->setVisible(!units.problem().isEmpty());
  aside_->setVisible(units.leftAside() > 0 && !units.problem().isEmpty());
  aside_->setText(tr("Go on with the %1 set aside here").arg(units.leftAside()));
  QStringList lines;
  if (!units.last().isEmpty()) lines += units.last();
  lines += units.counts().isEmpty() ? tr("Ledger %1").arg(units.ledger())
                                    : tr("Ledger %1: %2").arg(units.ledger(), units.counts());
  counts_->setText(lines.join(" "));
}

}  // namespace imprimo::app
