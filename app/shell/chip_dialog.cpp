// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/chip_dialog.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/number.h"
#include "core/packs/chip_text.h"

namespace imprimo::app {
namespace {

/// More are not listed: another letter helps more than scrolling.
constexpr std::size_t kMostListed = 200;

/// Up and down go through the list while letters are typed.
class Letters : public QLineEdit {
 public:
  explicit Letters(QListWidget* list, QWidget* parent) : QLineEdit(parent), list_(list) {}

 protected:
  void keyPressEvent(QKeyEvent* event) override {
    const int by = event->key() == Qt::Key_Down ? 1 : event->key() == Qt::Key_Up ? -1 : 0;
    if (by == 0 || list_->count() == 0) return QLineEdit::keyPressEvent(event);
    list_->setCurrentRow(std::clamp(list_->currentRow() + by, 0, list_->count() - 1));
  }

 private:
  QListWidget* list_;
};

}  // namespace

ChipDialog::ChipDialog(const std::optional<FoundPort>& port, QWidget* parent) : QDialog(parent), port_(port) {
  setObjectName("chipDialog");
  setWindowTitle(tr("Choose a chip"));
  resize(880, 560);
  if (port_) fitting_ = library_.fitting(port_->target);
  if (port_ && fitting_.empty()) fitting_ = library_.fitting(port_->table);
  auto* column = new QVBoxLayout(this);
  words_ = mutedLabel(this, introduction());
  words_->setObjectName("chipWords");
  words_->setWordWrap(true);
  list_ = new QListWidget(this);
  list_->setObjectName("chipList");
  list_->setAccessibleName(tr("Chips of the library"));
  list_->setFont(textFont(13));
  letters_ = new Letters(list_, this);
  letters_->setObjectName("chipLetters");
  letters_->setAccessibleName(tr("Letters of the chip's name, family or maker"));
  letters_->setPlaceholderText(tr("a few letters of its name, family or maker"));
  letters_->setFont(textFont(14));
  what_ = new QPlainTextEdit(this);
  what_->setObjectName("chipWhat");
  what_->setReadOnly(true);
  what_->setAccessibleName(tr("What the chip has, and what its sequences do"));
  what_->setFont(byteFont(12));
  what_->setTabChangesFocus(true);
  auto* middle = new QHBoxLayout;
  middle->addWidget(list_, 2);
  middle->addWidget(what_, 3);
  use_ = new QPushButton(this);
  use_->setObjectName("chipUse");
  use_->setProperty("role", "main");
  use_->setDefault(true);
  card_ = new QPushButton(tr("Save a core card and start with it…"), this);
  card_->setObjectName("chipAsCard");
  card_->setToolTip(tr("The sheet does not need the pack then; the pack's sequences are not part of a card"));
  auto* row = new QHBoxLayout;
  row->addStretch(1);
  row->addWidget(card_);
  row->addWidget(use_);
  column->addWidget(words_);
  column->addWidget(letters_);
  column->addLayout(middle, 1);
  column->addLayout(row);
  connect(letters_, &QLineEdit::textChanged, this, &ChipDialog::search);
  connect(list_, &QListWidget::currentRowChanged, this, &ChipDialog::show);
  connect(list_, &QListWidget::itemActivated, this, &QDialog::accept);
  connect(use_, &QPushButton::clicked, this, &QDialog::accept);
  connect(card_, &QPushButton::clicked, this, &ChipDialog::askForCard);
  search();
  letters_->setFocus();
}

QString ChipDialog::introduction() const {
  QStringList lines;
  if (port_) lines += port_->words + ".";
  if (library_.packs().empty()) {
    lines += tr("The library has no packs yet. Drop a .pack file on the window, then open this page again.");
  } else if (port_ && fitting_.size() == 1) {
    lines += tr("%1 of the library matches.").arg(QString::fromStdString(fitting_[0].device->name));
  } else if (port_ && !fitting_.empty()) {
    lines += tr("%1 devices of the library match; they are listed first.").arg(fitting_.size());
  } else if (port_) {
    lines += tr("It does not identify a device of the library.");
  } else {
    std::size_t devices = 0;
    for (const packs::IndexedPack& pack : library_.packs()) devices += pack.devices.size();
    lines += tr("The library has %1 of %2.")
                 .arg(QString::fromStdString(countText(devices, "device")),
                      QString::fromStdString(countText(library_.packs().size(), "pack")));
  }
  return lines.join(" ");
}

void ChipDialog::search() {
  const std::string letters = letters_->text().trimmed().toStdString();
  found_ = letters.empty() ? fitting_ : std::vector<packs::PackLibrary::Found>();
  for (const packs::PackLibrary::Found& each : library_.find(letters)) {
    if (found_.size() >= kMostListed) break;
    const auto same = [&](const packs::PackLibrary::Found& other) { return other.device == each.device; };
    if (std::none_of(found_.begin(), found_.end(), same)) found_.push_back(each);
  }
  {
    const QSignalBlocker quiet(list_);
    list_->clear();
    for (const packs::PackLibrary::Found& each : found_)
      list_->addItem(
          QString::fromStdString(each.device->name + " · " + each.device->core + " · " + each.device->vendor));
    // What is certain is chosen; otherwise nothing is until somebody typed.
    list_->setCurrentRow(!letters.empty() || fitting_.size() == 1 ? 0 : -1);
  }
  show(list_->currentRow());
}

void ChipDialog::show(int row) {
  chip_.reset();
  if (row >= 0 && static_cast<std::size_t>(row) < found_.size()) {
    const packs::PackLibrary::Found& found = found_[static_cast<std::size_t>(row)];
    file_ = found.pack->file.string();
    name_ = found.device->name;
    try {
      chip_ = packs::readChip(found.pack->file, name_);
      what_->setPlainText(QString::fromStdString(packs::chipText(*chip_, found.pack->file)));
    } catch (const Error& e) {
      what_->setPlainText(told(e));
    }
  } else {
    what_->setPlainText(found_.empty() && !letters_->text().isEmpty() ? tr("No device of the library has this name.")
                                                                      : QString());
  }
  use_->setEnabled(chip_ != nullptr);
  card_->setEnabled(chip_ != nullptr);
  use_->setText(chip_ ? tr("Start a sheet with %1").arg(QString::fromStdString(name_)) : tr("Choose a chip"));
}

void ChipDialog::askForCard() {
  const QString path =
      QFileDialog::getSaveFileName(this, tr("Save the core card"),
                                   QString::fromStdString(name_).toLower() + "_core.json", tr("Core cards (*.json)"));
  if (!path.isEmpty()) useCard(path);
}

void ChipDialog::useCard(const QString& path) {
  try {
    const std::filesystem::path card = QFileInfo(path).absoluteFilePath().toStdString();
    packs::writeCardWithAlgorithms(chip_->card, packs::PackFile(file_), card);
    cardPath_ = card.string();
    accept();
  } catch (const Error& e) {
    words_->setText(told(e));
  }
}

sheet::Sheet ChipDialog::sheet() const {
  sheet::ChipForSheet chip;
  chip.card = cardPath_;
  chip.ap = chip_->card.accessPort.value_or(0);
  chip.pack = std::filesystem::path(file_).stem().string();
  chip.name = name_;
  // Where several ports may be on the wires, the one that the pack means is chosen.
  for (const packs::PackPort& port : chip_->device.ports) {
    if (chip_->device.ports.size() > 1 && port.swd) chip.target = port.target;
  }
  for (const debug::CoreRegion& region : chip_->card.regions) chip.regions.push_back({region.name, region.flash});
  return sheet::parseSheet(sheet::sheetTextForChip("New board", chip), "");
}

}  // namespace imprimo::app
