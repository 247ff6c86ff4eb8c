// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the image is for, and in which form it is saved.
#include <QStyle>

#include "app/images/image_output.h"
#include "app/images/output_choices.h"
#include "app/look/theme.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"

namespace imprimo::app {
namespace {

QLabel* rowLabel(QWidget* frame, const QString& words) {
  auto* label = new QLabel(words, frame);
  label->setProperty("role", "muted");
  label->setFont(textFont(12));
  return label;
}

QComboBox* choiceRow(QFormLayout& rows, QWidget* frame, const char* name, const QString& words) {
  auto* choice = new Choice(frame);
  choice->setObjectName(name);
  choice->setAccessibleName(words);
  choice->setFont(textFont(12));
  choice->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  rows.addRow(rowLabel(frame, words), choice);
  return choice;
}

/// Two short fields in one row, the second with its own word.
void pairRow(QFormLayout& rows, QWidget* frame, const QString& words, QWidget* first, const QString& between,
             QWidget* second) {
  auto* pair = new QHBoxLayout;
  pair->setSpacing(6);
  pair->addWidget(first);
  pair->addWidget(rowLabel(frame, between));
  pair->addWidget(second);
  rows.addRow(rowLabel(frame, words), pair);
}

}  // namespace

QLineEdit* ImageOutput::number(const char* name, const QString& label, const QString& tip,
                               std::function<bool(const QString&)> take) {
  auto* edit = new QLineEdit(this);
  edit->setObjectName(name);
  edit->setAccessibleName(label);
  edit->setToolTip(tip);
  edit->setFont(byteFont(12));
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, label, take = std::move(take)] {
    const bool good = take(edit->text().trimmed());
    edit->setProperty("wrong", !good);
    edit->style()->unpolish(edit);
    edit->style()->polish(edit);
    if (!good) emit document_.message(tr("'%1' makes no sense as %2.").arg(edit->text(), label.toLower()), true);
  });
  return edit;
}

QWidget* ImageOutput::form() {
  auto* frame = new QFrame(this);
  frame->setObjectName("card");
  auto* rows = new QFormLayout(frame);
  rows->setContentsMargins(10, 8, 10, 8);
  rows->setVerticalSpacing(4);
  addPart(*rows, frame);
  addFile(*rows, frame);
  connectForm();
  return frame;
}

/// What the image is for.
void ImageOutput::addPart(QFormLayout& rows, QWidget* frame) {
  for_ = choiceRow(rows, frame, "imageFor", tr("For"));
  use_ = choiceRow(rows, frame, "imageUse", tr("Which is"));
  use_->addItems({tr("a configuration flash"), tr("the memory of a core"), tr("not said")});
  const auto bytes = [this](std::uint64_t ImageState::*member, const QString& what) {
    return [this, member, what](const QString& typed) {
      ImageState next = document_.state();
      const auto value = typed.isEmpty() ? std::optional<std::uint64_t>{0} : parseNumber(typed.toStdString());
      if (!value || *value > 1ull << 40) return false;
      next.*member = *value;
      document_.change(what, next);
      return true;
    };
  };
  size_ = number("imageSize", tr("Size"), tr("Of the part: 8M, 0x800000. Empty: not known"),
                 bytes(&ImageState::size, tr("Size of the part")));
  block_ = number("imageBlock", tr("Erase block"), tr("The part's smallest; pieces snap to it"),
                  bytes(&ImageState::block, tr("Erase block")));
  pairRow(rows, frame, tr("Size"), size_, tr("blocks"), block_);
  sync_ = number("imageSync", tr("Sync word"),
                 tr("How a bitstream begins, as it is stored: 59 8A 36 87. Empty: not looked for"),
                 [this](const QString& typed) {
                   ImageState next = document_.state();
                   const auto word = parseByteDigits(typed.toStdString());
                   if (!word && !typed.isEmpty()) return false;
                   next.sync = word.value_or(Bytes{});
                   document_.change(tr("Sync word"), next);
                   return true;
                 });
  rows.addRow(rowLabel(frame, tr("Sync word")), sync_);
}

/// In which form it is written.
void ImageOutput::addFile(QFormLayout& rows, QWidget* frame) {
  format_ = choiceRow(rows, frame, "imageFormat", tr("Format"));
  for (const FormatEntry& f : kFormats) format_->addItem(f.label);
  fill_ =
      number("imageFill", tr("Empty bytes"), tr("What stands where nothing is placed"), [this](const QString& typed) {
        const auto byte = parseByteDigits(typed.toStdString());
        if (!byte || byte->size() != 1) return false;
        ImageState next = document_.state();
        next.fill = byte->front();
        document_.change(tr("Empty bytes"), next);
        return true;
      });
  record_ =
      number("imageRecord", tr("Bytes a record"), tr("Data bytes in a record, 1 to 250"), [this](const QString& typed) {
        const auto value = parseNumber(typed.toStdString());
        if (!value || *value < 1 || *value > 250) return false;
        ImageState next = document_.state();
        next.recordLength = static_cast<std::uint32_t>(*value);
        document_.change(tr("Bytes a record"), next);
        return true;
      });
  pairRow(rows, frame, tr("Empty bytes"), fill_, tr("a record"), record_);
  whole_ = new QCheckBox(tr("all of the part, gaps with it"), frame);
  whole_->setObjectName("imageWhole");
  whole_->setFont(textFont(12));
  rows.addRow(QString(), whole_);
}

void ImageOutput::connectForm() {
  connect(for_, &QComboBox::activated, this,
          [this](int index) { document_.setMemory(for_->itemData(index).toString().toStdString()); });
  connect(use_, &QComboBox::activated, this, [this](int index) {
    constexpr MemoryUse kUses[] = {MemoryUse::Configuration, MemoryUse::CoreCode, MemoryUse::Unknown};
    ImageState next = document_.state();
    next.use = kUses[index];
    document_.change(tr("What the part is"), next);
  });
  connect(format_, &QComboBox::activated, this, [this](int index) {
    ImageState next = document_.state();
    next.format = kFormats[index].format;
    next.addressBits = kFormats[index].bits;
    document_.change(tr("Format"), next);
  });
  connect(whole_, &QCheckBox::clicked, this, [this](bool on) {
    ImageState next = document_.state();
    next.wholeMemory = on;
    document_.change(tr("All of the part"), next);
  });
}

}  // namespace imprimo::app
