// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/word_card.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

QString text(const std::string& words) {
  return QString::fromStdString(words);
}

QString hex(std::uint32_t value) {
  return "0x" + QString::number(value, 16).toUpper();
}

/// "0x5A  closed until all is erased", or only the number.
QString valueText(const debug::WordField& field, std::uint32_t value) {
  const debug::FieldValue* meaning = field.meaning(value);
  return meaning == nullptr ? hex(value) : hex(value) + "  " + text(meaning->means);
}

/// The number in front; nothing for what is none, or does not fit.
std::optional<std::uint32_t> typed(const QString& words, std::uint32_t most) {
  const auto value = parseNumber(words.trimmed().section(' ', 0, 0).toStdString());
  return value && *value <= most ? std::optional(static_cast<std::uint32_t>(*value)) : std::nullopt;
}

QString bitsText(unsigned high, unsigned low) {
  return high == low ? QString::number(low) : QString("%1..%2").arg(high).arg(low);
}

/// "7..4 and 0"
QString changedBits(std::uint32_t bits) {
  QStringList runs;
  for (int high = 31; high >= 0; --high) {
    if ((bits >> high & 1) == 0) continue;
    int low = high;
    while (low > 0 && (bits >> (low - 1) & 1) != 0) --low;
    runs += bitsText(static_cast<unsigned>(high), static_cast<unsigned>(low));
    high = low;
  }
  return runs.join(", ");
}

void markWrong(QWidget* widget, bool wrong) {
  if (widget->property("wrong").toBool() == wrong) return;
  widget->setProperty("wrong", wrong);
  widget->style()->unpolish(widget);
  widget->style()->polish(widget);
}

}  // namespace

WordCard::WordCard(debug::ConfigWord word, QWidget* parent) : QFrame(parent), word_(std::move(word)) {
  setObjectName("card");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(14, 10, 14, 12);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  auto* name = new QLabel(text(word_.name), this);
  name->setFont(textFont(14, QFont::DemiBold));
  before_ = new QLabel(this);
  before_->setObjectName("wordBefore");
  before_->setFont(byteFont(13));
  whole_ = new QLineEdit(this);
  whole_->setObjectName("wordValue");
  whole_->setFont(byteFont(13));
  whole_->setFixedWidth(130);
  whole_->setAccessibleName(tr("%1, the whole word").arg(text(word_.name)));
  head->addWidget(name);
  head->addWidget(mutedLabel(this, text(hexAddress(word_.at))));
  head->addStretch(1);
  head->addWidget(before_);
  head->addWidget(new QLabel("→", this));
  head->addWidget(whole_);
  column->addLayout(head);
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(14);
  grid->setVerticalSpacing(6);
  grid->setColumnStretch(1, 2);
  grid->setColumnStretch(2, 3);
  grid->setColumnStretch(3, 3);
  for (std::size_t i = 0; i < word_.fields.size(); ++i) addRow(grid, i);
  column->addLayout(grid);
  bits_ = mutedLabel(this, {});
  bits_->setObjectName("wordBits");
  warning_ = new QLabel(this);
  warning_->setObjectName("wordWarning");
  warning_->setProperty("role", "differs");
  warning_->setFont(textFont(13, QFont::DemiBold));
  warning_->setWordWrap(true);
  permanent_ = new QCheckBox(tr("Lock the chip permanently"), this);
  permanent_->setObjectName("wordPermanent");
  column->addWidget(bits_);
  column->addWidget(warning_);
  column->addWidget(permanent_);
  connect(whole_, &QLineEdit::textEdited, this, &WordCard::takeWhole);
  connect(permanent_, &QCheckBox::toggled, this, &WordCard::edited);
}

void WordCard::addRow(QGridLayout* grid, std::size_t index) {
  const debug::WordField& field = word_.fields[index];
  const int row = static_cast<int>(index);
  auto* bits = mutedLabel(this, bitsText(field.high, field.low));
  bits->setFont(byteFont(12));
  auto* name = new QLabel(text(field.name), this);
  name->setFont(textFont(13));
  name->setToolTip(text(field.what));
  auto* value = new QComboBox(this);
  value->setObjectName("wordField");
  value->setEditable(true);
  value->setInsertPolicy(QComboBox::NoInsert);
  value->setFont(textFont(13));
  value->setAccessibleName(tr("%1 of %2").arg(text(field.name), text(word_.name)));
  value->setAccessibleDescription(text(field.what));
  for (const debug::FieldValue& known : field.values) {
    if (known.value) value->addItem(valueText(field, *known.value));
  }
  auto* before = mutedLabel(this, {});
  before->setWordWrap(true);
  name->setBuddy(value);
  grid->addWidget(bits, row, 0);
  grid->addWidget(name, row, 1);
  grid->addWidget(value, row, 2);
  grid->addWidget(before, row, 3);
  rows_.push_back({value, before});
  connect(value, &QComboBox::editTextChanged, this, [this, index] { takeField(index); });
}

void WordCard::setFound(const bench::WordFound& found) {
  found_ = found;
  before_->setText(text(bench::foundText(word_, found)));
  permanent_->setChecked(false);
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const debug::WordField& field = word_.fields[i];
    rows_[i].before->setText(found.certain() ? text(field.what) : tr("not known"));
    rows_[i].value->setEnabled(found.certain());
  }
  propose(found.certain() ? found.value : word_.factory.value_or(found.value));
}

void WordCard::propose(std::uint32_t value) {
  wrong_ = false;
  show(value);
  const QSignalBlocker quiet(whole_);
  whole_->setText(text(word_.hex(value)));
  refresh();
}

/// In the fields; the whole word is left as it stands.
void WordCard::show(std::uint32_t value) {
  wanted_ = value;
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const QSignalBlocker quiet(rows_[i].value);
    rows_[i].value->setEditText(valueText(word_.fields[i], word_.fields[i].of(value)));
  }
}

void WordCard::takeWhole() {
  const auto value = typed(whole_->text(), word_.mask());
  wrong_ = !value;
  if (value) show(*value);
  refresh();
}

void WordCard::takeField(std::size_t index) {
  const debug::WordField& field = word_.fields[index];
  const auto value = typed(rows_[index].value->currentText(), field.most());
  wrong_ = !value;
  if (value) {
    wanted_ = field.in(wanted_, *value);
    const QSignalBlocker quiet(whole_);
    whole_->setText(text(word_.hex(wanted_)));
  }
  refresh();
}

std::optional<std::uint32_t> WordCard::change() const {
  if (wrong_ || (found_.certain() && wanted_ == found_.value)) return std::nullopt;
  return wanted_;
}

debug::WordHarm WordCard::harm() const {
  return change() ? debug::harmOf(word_, wanted_) : debug::WordHarm{};
}

void WordCard::refresh() {
  markWrong(whole_, wrong_);
  const std::uint32_t changed = found_.certain() ? wanted_ ^ found_.value : 0;
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const debug::WordField& field = word_.fields[i];
    if (!found_.certain()) continue;
    const bool differs = (changed & field.mask()) != 0;
    rows_[i].before->setText(differs ? tr("was %1").arg(valueText(field, field.of(found_.value))) : text(field.what));
    setRole(rows_[i].before, differs ? "planned" : "muted");
  }
  bits_->setVisible(changed != 0 && !wrong_);
  bits_->setText(tr("Bits that change: %1").arg(changedBits(changed)));
  const debug::WordHarm what = harm();
  warning_->setVisible(wrong_ || what.harm != debug::Harm::None);
  warning_->setText(wrong_                                ? tr("Not a value of this field or word.")
                    : what.harm == debug::Harm::Permanent ? tr("%1. This cannot be undone.").arg(text(what.why))
                                                          : tr("%1. The probe is locked out.").arg(text(what.why)));
  permanent_->setVisible(what.harm == debug::Harm::Permanent);
  emit edited();
}

}  // namespace imprimo::app
