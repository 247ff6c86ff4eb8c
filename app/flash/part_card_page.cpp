// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/flash/part_card_page.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QStyle>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/atomic_file.h"
#include "core/base/number.h"
#include "core/store/user_library.h"

namespace imprimo::app {
namespace {

using flash::FourByteEntry;

struct Way {
  FourByteEntry entry;
  const char* words;
};
constexpr Way kWays[] = {{FourByteEntry::NotNeeded, QT_TRANSLATE_NOOP("PartCardPage", "not needed")},
                         {FourByteEntry::Unknown, QT_TRANSLATE_NOOP("PartCardPage", "not known: try")},
                         {FourByteEntry::Always, QT_TRANSLATE_NOOP("PartCardPage", "always four bytes")},
                         {FourByteEntry::Command, QT_TRANSLATE_NOOP("PartCardPage", "B7 enters, E9 leaves")},
                         {FourByteEntry::WriteEnableThenCommand, QT_TRANSLATE_NOOP("PartCardPage", "06 then B7")},
                         {FourByteEntry::OwnCommands, QT_TRANSLATE_NOOP("PartCardPage", "commands of their own")},
                         {FourByteEntry::SegmentRegister, QT_TRANSLATE_NOOP("PartCardPage", "C5 sets the upper byte")},
                         {FourByteEntry::BankRegister, QT_TRANSLATE_NOOP("PartCardPage", "17, bit 7")}};

QString timesText(double typical, double longest) {
  return QString("%1 / %2").arg(typical * 1000).arg(longest * 1000);
}

/// "45 / 400": milliseconds, typical and longest.
std::optional<std::pair<double, double>> timesOf(const QString& text) {
  const QStringList parts = text.split('/');
  if (parts.size() != 2) return std::nullopt;
  bool a = false, b = false;
  const double typical = parts[0].trimmed().toDouble(&a) / 1000, longest = parts[1].trimmed().toDouble(&b) / 1000;
  if (!a || !b || !(typical > 0) || longest < typical || longest > 3600) return std::nullopt;
  return std::pair{typical, longest};
}

struct Erase {
  memory::EraseType type;
  flash::EraseCommand command;
};

/// "4K 0x20 45 / 400"
std::optional<Erase> eraseOf(const QString& text) {
  const QStringList parts = text.trimmed().split(' ', Qt::SkipEmptyParts);
  if (parts.size() < 3) return std::nullopt;
  const auto size = parseNumber(parts[0].toStdString()), opcode = parseNumber(parts[1].toStdString());
  const auto times = timesOf(parts.mid(2).join(' '));
  if (!size || !opcode || *opcode > 0xFF || !times) return std::nullopt;
  return Erase{{*size, times->first, times->second}, {static_cast<std::uint8_t>(*opcode)}};
}

QString eraseText(const Erase& erase) {
  const memory::EraseType& type = erase.type;
  const QString size = type.size % 1024 == 0 ? QString("%1K").arg(type.size / 1024) : QString::number(type.size);
  return size + " " + QString::fromStdString(hexByte(erase.command.opcode)) + " " +
         timesText(type.typical, type.longest);
}

constexpr int kEraseRows = 4;

std::string eraseKey(int i) {
  return "erase" + std::to_string(i);
}

}  // namespace

PartCardPage::PartCardPage(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  auto* column = new QVBoxLayout(this);
  auto* begin = new QHBoxLayout;
  auto* similar = smallButton(this, tr("begin with a similar card…"), tr("Open a card and change what differs"));
  similar->setObjectName("cardFromFile");
  auto* own = smallButton(this, tr("begin with what the part says"), tr("Fill the form from the part's own tables"));
  own->setObjectName("cardFromDevice");
  begin->addWidget(similar);
  begin->addWidget(own);
  begin->addStretch(1);
  column->addLayout(begin);
  grid_ = new QGridLayout;
  grid_->setColumnStretch(2, 1);
  grid_->setHorizontalSpacing(10);
  addRow("name", tr("Name"), tr("as the card is called"));
  addRow("id", tr("ID"), "0x7E4017");
  addRow("bank", tr("Bank"), "1");
  addRow("size", tr("Size"), "8M");
  addRow("page", tr("Page"), "256");
  addRow("program", tr("Programming a page"), tr("0.4 / 3   ms, typical / longest"));
  for (int i = 0; i < kEraseRows; ++i)
    addRow(eraseKey(i).c_str(), i == 0 ? tr("Erase commands") : QString(), tr("4K 0x20 45 / 400"));
  fourByte_ = new QComboBox(this);
  fourByte_->setObjectName("card_four_byte");
  for (const Way& way : kWays) fourByte_->addItem(tr(way.words));
  grid_->addWidget(new QLabel(tr("Over 16 MiB"), this), grid_->rowCount(), 0);
  grid_->addWidget(fourByte_, grid_->rowCount() - 1, 1);
  column->addLayout(grid_);
  column->addStretch(1);
  auto* foot = new QHBoxLayout;
  words_ = mutedLabel(this, {});
  words_->setObjectName("cardWords");
  words_->setWordWrap(true);
  use_ = new QPushButton(tr("Keep and use this card"), this);
  use_->setObjectName("cardUse");
  use_->setProperty("role", "main");
  foot->addWidget(words_, 1);
  foot->addWidget(use_);
  column->addLayout(foot);
  connect(similar, &QToolButton::clicked, this, &PartCardPage::beginWithFile);
  connect(own, &QToolButton::clicked, this, [this] {
    if (part_) beginWith(flash::cardFromDevice(card_.name.empty() ? bench_.memory() : card_.name, *part_));
  });
  connect(fourByte_, &QComboBox::currentIndexChanged, this, &PartCardPage::check);
  connect(use_, &QPushButton::clicked, this, &PartCardPage::use);
  own->setEnabled(false);
  fill();
  check();
  askPart(own);
}

void PartCardPage::fill() {
  try {
    const sheet::MemoryEntry& entry = bench_.document().sheet().memory(bench_.memory());
    filled_ = entry.partCard.has_value() || bench_.identity() != nullptr;
    if (entry.partCard) {
      beginWith(flash::readPartCard(bench_.document().sheet().folder() / *entry.partCard));
    } else if (const memory::Identity* identity = bench_.identity()) {
      if (const flash::FlashIdentity* part = flash::flashOf(*identity))
        beginWith(flash::cardOf(bench_.memory(), *part));
    }
  } catch (const Error& e) {
    words_->setText(told(e));
  }
}

void PartCardPage::askPart(QWidget* own) {
  const std::string name = bench_.memory();
  bench_.session().ask(this, [this, own, name](bench::Bench& bench) {
    std::optional<flash::FlashEvidence> part;
    try {
      part = flash::askFlash(bench::spiOf(bench.at(name).route(), name), name, std::nullopt);
    } catch (const Error&) {
      // That nothing answers is said where nothing can be checked.
    }
    return [this, own, name, part] {
      if (name != bench_.memory()) return;
      part_ = part;
      own->setEnabled(part_.has_value());
      if (part_ && !filled_) beginWith(flash::cardFromDevice(name, *part_));
      check();
    };
  });
}

void PartCardPage::probeSize(std::uint64_t size) {
  const std::string name = bench_.memory();
  bench_.session().ask(this, [this, name, size](bench::Bench& bench) {
    std::optional<bool> wraps;
    try {
      wraps = flash::wrapsAt(bench::spiOf(bench.at(name).route(), name), size);
    } catch (const Error&) {
      // Whatever is wrong with the link is told by others; the size stays untold.
    }
    return [this, name, size, wraps] {
      if (name != bench_.memory()) return;
      wraps_[size] = wraps;
      check();
    };
  });
}

void PartCardPage::addRow(const char* key, const QString& label, const QString& hint) {
  const int y = grid_->rowCount();
  auto* edit = new QLineEdit(this);
  edit->setObjectName(QString("card_") + key);
  edit->setAccessibleName(label.isEmpty() ? tr("Erase command") : label);
  edit->setPlaceholderText(hint);
  edit->setFont(byteFont(12));
  edit->setMinimumWidth(230);
  auto* verdict = mutedLabel(this, {});
  verdict->setObjectName(QString("verdict_") + key);
  grid_->addWidget(new QLabel(label, this), y, 0);
  grid_->addWidget(edit, y, 1);
  grid_->addWidget(verdict, y, 2);
  rows_[key] = {edit, verdict};
  connect(edit, &QLineEdit::textEdited, this, [this] {
    filled_ = true;
    check();
  });
}

void PartCardPage::beginWith(const flash::PartCard& card) {
  card_ = card;
  const auto set = [this](const std::string& key, const QString& text) { rows_.at(key).edit->setText(text); };
  const memory::Geometry& g = card.geometry;
  set("name", QString::fromStdString(card.name));
  set("id", QString::fromStdString(card.id.text()));
  set("bank", QString::number(card.id.bank));
  set("size", g.size % (1 << 20) == 0 ? QString("%1M").arg(g.size >> 20) : QString("%1K").arg(g.size >> 10));
  set("page", QString::number(g.page));
  set("program", timesText(g.pageTypical, g.pageLongest));
  for (int i = 0; i < kEraseRows; ++i) {
    const auto n = static_cast<std::size_t>(i);
    set(eraseKey(i), n < g.erase.size() ? eraseText({g.erase[n], card.commands.erase[n]}) : QString());
  }
  for (int i = 0; i < static_cast<int>(std::size(kWays)); ++i) {
    if (kWays[i].entry == card.commands.fourByte) fourByte_->setCurrentIndex(i);
  }
  check();
}

void PartCardPage::beginWithFile() {
  const QString library = QString::fromStdString(store::partFolder().string());
  const QString file =
      QFileDialog::getOpenFileName(this, tr("Begin with a similar card"), library, tr("Part cards (*.json)"));
  if (file.isEmpty()) return;
  try {
    filled_ = true;
    beginWith(flash::readPartCard(file.toStdString()));
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

flash::PartCard PartCardPage::typed(std::map<std::string, QString>& wrong) const {
  flash::PartCard card = card_;
  memory::Geometry& g = card.geometry;
  const auto number = [&](const char* key, std::uint64_t least, std::uint64_t most) -> std::uint64_t {
    const auto value = parseNumber(rows_.at(key).edit->text().trimmed().toStdString());
    if (!value || *value < least || *value > most) {
      wrong[key] = tr("is no number that could stand here");
      return least;
    }
    return *value;
  };
  card.name = rows_.at("name").edit->text().trimmed().toStdString();
  if (card.name.empty()) wrong["name"] = tr("a card has a name");
  const std::uint64_t id = number("id", 0, 0xFFFFFF);
  card.id = {static_cast<unsigned>(number("bank", 1, 17)), static_cast<std::uint8_t>(id >> 16),
             static_cast<std::uint16_t>(id)};
  g.size = number("size", 1, 1ull << 40);
  g.page = static_cast<std::uint32_t>(number("page", 1, 65536));
  const auto program = timesOf(rows_.at("program").edit->text());
  if (program) {
    g.pageTypical = program->first;
    g.pageLongest = program->second;
  } else {
    wrong["program"] = tr("two times in milliseconds: 0.4 / 3");
  }
  flash::NorCommands& commands = card.commands;
  g.erase.clear();
  commands.erase.clear();
  for (int i = 0; i < kEraseRows; ++i) {
    const QString text = rows_.at(eraseKey(i)).edit->text().trimmed();
    if (text.isEmpty()) continue;
    auto erase = eraseOf(text);
    if (!erase) {
      wrong[eraseKey(i)] = tr("size, command, two times in milliseconds: 4K 0x20 45 / 400");
      continue;
    }
    for (std::size_t k = 0; k < card_.geometry.erase.size(); ++k) {
      const flash::EraseCommand& old = card_.commands.erase[k];
      if (card_.geometry.erase[k].size == erase->type.size && old.opcode == erase->command.opcode)
        erase->command.opcode4 = old.opcode4;
    }
    g.erase.push_back(erase->type);
    commands.erase.push_back(erase->command);
  }
  const FourByteEntry way = kWays[fourByte_->currentIndex()].entry;
  // A small part needs none, or takes nothing else.
  commands.fourByte = g.size <= flash::kThreeByteReach
                          ? (way == FourByteEntry::Always ? way : FourByteEntry::NotNeeded)
                          : (way == FourByteEntry::NotNeeded ? FourByteEntry::Unknown : way);
  flash::setReach(g, commands.fourByte);
  return card;
}

void PartCardPage::check() {
  std::map<std::string, QString> wrong;
  const flash::PartCard card = typed(wrong);
  QString problem;
  if (wrong.empty()) {
    try {
      // Read back as it will be: a card that could be kept and not be read again is worth nothing.
      flash::parsePartCard(flash::partCardText(card), "the card");
    } catch (const Error& e) {
      problem = QString::fromStdString(e.what());
    }
  }
  std::map<std::string, flash::CardCheck> checks;
  bool contradicts = false;
  if (part_) {
    const auto wraps = wraps_.find(card.geometry.size);
    if (wraps == wraps_.end() && !wrong.contains("size") && !part_->table) {
      wraps_[card.geometry.size] = std::nullopt;
      probeSize(card.geometry.size);
    }
    for (const flash::CardCheck& c :
         flash::checkCard(card, *part_, wraps == wraps_.end() ? std::nullopt : wraps->second))
      checks[c.key] = c;
  }
  const auto show = [&](const std::string& key, const std::string& checked) {
    const Row& row = rows_.at(key);
    QString text;
    const char* role = "muted";
    if (const auto w = wrong.find(key); w != wrong.end()) {
      text = w->second;
      role = "differs";
    } else if (const auto c = checks.find(checked); c != checks.end()) {
      using flash::CardCheck;
      const QString sign = c->second.verdict == CardCheck::Agrees        ? "✓ "
                           : c->second.verdict == CardCheck::Contradicts ? "✗ "
                                                                         : "· ";
      role = c->second.verdict == CardCheck::Agrees        ? "agrees"
             : c->second.verdict == CardCheck::Contradicts ? "differs"
                                                           : "muted";
      contradicts = contradicts || c->second.verdict == CardCheck::Contradicts;
      text = sign + QString::fromStdString(c->second.words);
    }
    row.verdict->setText(text);
    row.verdict->setProperty("role", role);
    row.verdict->style()->unpolish(row.verdict);
    row.verdict->style()->polish(row.verdict);
  };
  for (const char* key : {"name", "id", "bank", "size", "page", "program"}) show(key, key);
  for (int i = 0; i < kEraseRows; ++i) {
    const auto erase = eraseOf(rows_.at(eraseKey(i)).edit->text());
    show(eraseKey(i), erase ? "erase " + sizeText(erase->type.size) : "");
  }
  use_->setEnabled(wrong.empty() && problem.isEmpty() && !bench_.run().isRunning());
  words_->setText(
      !problem.isEmpty() ? problem
      : !part_           ? tr("No part answers: nothing can be checked against it.")
      : contradicts
          ? tr("The part contradicts this card: using it will be refused.")
          : tr("Kept in your library, and used for %1 at once.").arg(QString::fromStdString(bench_.memory())));
}

void PartCardPage::use() {
  std::map<std::string, QString> wrong;
  const flash::PartCard card = typed(wrong);
  if (!wrong.empty()) return;
  QString name;
  for (const QChar c : QString::fromStdString(card.name)) name += c.isLetterOrNumber() ? c.toLower() : QChar('_');
  const std::filesystem::path folder = store::partFolder();
  const std::filesystem::path file = folder / (name.toStdString() + ".json");
  try {
    std::error_code failure;
    std::filesystem::create_directories(folder, failure);
    writeFileAtomically(file, flash::partCardText(card, true));
    bench_.tasks().usePartCard(QString::fromStdString(file.string()));
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

}  // namespace imprimo::app
