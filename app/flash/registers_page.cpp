// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/flash/registers_page.h"

#include <QStyle>
#include <bitset>

#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {

RegisterCard::RegisterCard(memory::Register what, QWidget* parent) : QFrame(parent), what_(std::move(what)) {
  setObjectName("card");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 10, 12, 10);
  auto* head = new QHBoxLayout;
  auto* name = new QLabel(QString::fromStdString(what_.name), this);
  name->setFont(textFont(14, QFont::DemiBold));
  figure_ = new QLabel(this);
  figure_->setObjectName("registerFigure");
  figure_->setFont(byteFont(13));
  head->addWidget(name);
  head->addWidget(figure_);
  head->addStretch(1);
  head->addWidget(mutedLabel(this, QString::fromStdString(what_.access)));
  column->addLayout(head);
  column->addLayout(switches());
  column->addLayout(foot());
  setValue(0);
}

/// The bits, the highest first, with the names of the fields below them.
QGridLayout* RegisterCard::switches() {
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(4);
  grid->setVerticalSpacing(2);
  for (int bit = 7; bit >= 0; --bit) {
    const int x = 7 - bit;
    auto* number = mutedLabel(this, QString::number(bit));
    number->setAlignment(Qt::AlignCenter);
    auto* button = new QToolButton(this);
    button->setObjectName("registerBit");
    button->setCheckable(true);
    button->setFont(byteFont(14));
    button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    button->setMinimumWidth(64);
    button->setEnabled((what_.writable() >> bit & 1) != 0);
    button->setAccessibleName(tr("%1 bit %2").arg(QString::fromStdString(what_.name)).arg(bit));
    connect(button, &QToolButton::toggled, this, &RegisterCard::refresh);
    bits_[static_cast<std::size_t>(bit)] = button;
    grid->addWidget(number, 0, x);
    grid->addWidget(button, 1, x);
    grid->setColumnStretch(x, 1);
  }
  for (const memory::RegisterBits& b : what_.bits) {
    QString text = QString::fromStdString(b.name);
    if (b.once) text += tr("\none-time");
    auto* label = mutedLabel(this, text);
    label->setAlignment(Qt::AlignHCenter | Qt::AlignTop);
    label->setWordWrap(true);
    label->setToolTip(QString::fromStdString(b.what));
    if (b.once) label->setProperty("role", "differs");
    grid->addWidget(label, 2, 7 - b.high, 1, b.high - b.low + 1);
    for (int bit = b.low; bit <= b.high; ++bit) {
      QToolButton* button = bits_[static_cast<std::size_t>(bit)];
      const QString means = QString::fromStdString(b.what.empty() ? b.name : b.name + ": " + b.what);
      button->setToolTip(means);
      button->setAccessibleName(tr("%1, %2").arg(button->accessibleName(), QString::fromStdString(b.name)));
      button->setAccessibleDescription(means);
    }
  }
  return grid;
}

QHBoxLayout* RegisterCard::foot() {
  auto* foot = new QHBoxLayout;
  warning_ = new QLabel(this);
  warning_->setProperty("role", "differs");
  warning_->setFont(textFont(12));
  warning_->setWordWrap(true);
  forEver_ = new QCheckBox(tr("Write one-time bits"), this);
  forEver_->setObjectName("registerForEver");
  forEver_->setAccessibleName(tr("%1 of %2").arg(forEver_->text(), QString::fromStdString(what_.name)));
  write_ = new QPushButton(this);
  write_->setObjectName("registerWrite");
  write_->setVisible(what_.canWrite);
  foot->addWidget(warning_, 1);
  foot->addWidget(forEver_);
  foot->addWidget(write_);
  connect(forEver_, &QCheckBox::toggled, this, &RegisterCard::refresh);
  connect(write_, &QPushButton::clicked, this, [this] { emit writeWanted(wanted()); });
  return foot;
}

std::uint8_t RegisterCard::wanted() const {
  std::uint8_t value = 0;
  for (std::size_t bit = 0; bit < 8; ++bit)
    value |= static_cast<std::uint8_t>(bits_[bit]->isChecked() ? 1u << bit : 0u);
  return value;
}

void RegisterCard::propose(std::uint8_t value) {
  for (std::size_t bit = 0; bit < 8; ++bit) {
    const QSignalBlocker quiet(bits_[bit]);
    bits_[bit]->setChecked((value >> bit & 1) != 0);
  }
  refresh();
}

void RegisterCard::setValue(std::uint8_t value) {
  value_ = value;
  forEver_->setChecked(false);
  propose(value);
}

void RegisterCard::refresh() {
  const std::uint8_t now = wanted();
  const std::uint8_t changed = now ^ value_;
  const std::uint8_t lasting = now & ~value_ & what_.once();
  for (std::size_t bit = 0; bit < 8; ++bit) {
    QToolButton* button = bits_[bit];
    button->setText(button->isChecked() ? "1" : "0");
    const bool differs = (changed >> bit & 1) != 0;
    if (button->property("changed").toBool() == differs) continue;
    button->setProperty("changed", differs);
    button->style()->unpolish(button);
    button->style()->polish(button);
  }
  const auto text = [](std::uint8_t v) {
    return QString("%1  %2").arg(QString::fromStdString(hexByte(v)),
                                 QString::fromStdString(std::bitset<8>(v).to_string()));
  };
  figure_->setText(changed == 0 ? text(value_) : text(value_) + "  →  " + text(now));
  write_->setText(changed == 0 ? tr("Nothing to write") : tr("Write %1").arg(QString::fromStdString(hexByte(now))));
  forEver_->setVisible(lasting != 0);
  warning_->setText(lasting == 0 ? QString() : tr("One-time bits can never be cleared again."));
  write_->setEnabled(changed != 0 && (lasting == 0 || forEver_->isChecked()));
}

RegistersPage::RegistersPage(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  auto* outer = new QVBoxLayout(this);
  column_ = scrolledColumn(outer, this);
  auto* row = new QHBoxLayout;
  words_ = mutedLabel(this, {});
  words_->setWordWrap(true);
  words_->setObjectName("registersWords");
  again_ = smallButton(this, tr("read again"), tr("Read all registers again"));
  again_->setObjectName("registersAgain");
  undo_ = smallButton(this, tr("undo"), tr("Write back what the last written register held"));
  undo_->setObjectName("registersUndo");
  row->addWidget(words_, 1);
  row->addWidget(undo_);
  row->addWidget(again_);
  outer->addLayout(row);
  connect(again_, &QToolButton::clicked, this, [this] { bench_.session().readRegisters(bench_.memory()); });
  connect(undo_, &QToolButton::clicked, this, &RegistersPage::undo);
  connect(&bench_, &Workbench::registersChanged, this, &RegistersPage::takeValues);
  for (const auto signal : {&Workbench::memoryChanged, &Workbench::linkChanged})
    connect(&bench_, signal, this, &RegistersPage::rebuild, Qt::QueuedConnection);
  connect(&bench_, &Workbench::runChanged, this, [this] { setEnabled(!bench_.run().isRunning()); });
  connect(&bench_.session(), &BenchSession::registersRead, this, [this](const RegisterNews& news) {
    if (news.memory != bench_.memory()) return;
    if (!news.problem.isEmpty() && !history_.empty()) history_.pop_back();
    words_->setText(news.problem.isEmpty() ? tr("Read twice each, and the same.") : news.problem);
    undo_->setEnabled(!history_.empty());
  });
  rebuild();
}

void RegistersPage::rebuild() {
  while (QLayoutItem* item = column_->takeAt(0)) {
    if (item->widget() != nullptr) item->widget()->deleteLater();
    delete item;
  }
  cards_.clear();
  history_.clear();
  undo_->setEnabled(false);
  const memory::Identity* part = bench_.identity();
  again_->setEnabled(part != nullptr);
  if (part == nullptr) {
    words_->setText(tr("Registers are shown when the part answers and is described."));
    return;
  }
  for (std::size_t i = 0; i < part->registers.size(); ++i) {
    auto* card = new RegisterCard(part->registers[i]);
    column_->addWidget(card);
    cards_.push_back(card);
    connect(card, &RegisterCard::writeWanted, this, [this, i](quint8 value) {
      if (bench_.registers().size() <= i) return;
      history_.push_back({i, bench_.registers()[i]});
      bench_.session().writeRegister(bench_.memory(), i, value);
    });
  }
  column_->addStretch(1);
  words_->setText(tr("Reading …"));
  bench_.session().readRegisters(bench_.memory());
}

void RegistersPage::takeValues() {
  const auto& values = bench_.registers();
  for (std::size_t i = 0; i < cards_.size() && i < values.size(); ++i) cards_[i]->setValue(values[i]);
}

void RegistersPage::undo() {
  if (history_.empty()) return;
  const Written last = history_.back();
  history_.pop_back();
  undo_->setEnabled(!history_.empty());
  bench_.session().writeRegister(bench_.memory(), last.index, last.before);
}

}  // namespace imprimo::app
