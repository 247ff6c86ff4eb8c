// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/settings_dialog.h"

#include <QComboBox>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/error.h"
#include "settings/settings.h"

namespace imprimo::app {

/// What a setting is called here, and the words it can have; none: a line is typed.
struct SettingWords {
  const char* key;
  QString title;
  std::vector<std::pair<const char*, QString>> choices;
};

namespace {

std::vector<SettingWords> words() {
  const auto tr = [](const char* text) { return SettingsDialog::tr(text); };
  return {{"look.theme",
           tr("Colours"),
           {{"system", tr("as the desktop has them")},
            {"light", tr("light")},
            {"dark", tr("dark")},
            {"contrast", tr("high contrast")}}},
          {"look.size",
           tr("Size, from the next start on"),
           {{"system", tr("as the desktop has it")},
            {"100", "100 %"},
            {"125", "125 %"},
            {"150", "150 %"},
            {"200", "200 %"}}},
          {"library.folders", tr("Folders beside the own library"), {}},
          {"store", tr("Records and numbers"), {}},
          {"copies.bytes", tr("Room for saved copies, in bytes"), {}},
          {"copies.days", tr("Days for which copies are kept"), {}},
          {"probes.ignored", tr("Probes that are left alone"), {}}};
}

settings::Setting settingOf(const std::string& key) {
  for (settings::Setting& each : settings::allSettings()) {
    if (each.key == key) return each;
  }
  return {};
}

}  // namespace

SettingsDialog::SettingsDialog(QWidget* parent) : QDialog(parent) {
  setObjectName("settingsDialog");
  setWindowTitle(tr("Settings"));
  resize(760, 620);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 18, 20, 16);
  column->setSpacing(10);
  auto* room = new QScrollArea(this);
  room->setWidgetResizable(true);
  room->setFrameShape(QFrame::NoFrame);
  room->setFocusPolicy(Qt::NoFocus);
  auto* page = new QWidget(room);
  auto* grid = new QGridLayout(page);
  grid->setHorizontalSpacing(12);
  grid->setVerticalSpacing(3);
  grid->setColumnStretch(1, 1);
  int at = 0;
  for (const SettingWords& each : words()) {
    addRow(grid, at, each);
    at += 4;
  }
  auto* sent = new QLabel(tr("Nothing is ever sent anywhere: there is nothing to switch off."), page);
  sent->setFont(textFont(13, QFont::DemiBold));
  sent->setWordWrap(true);
  grid->addWidget(sent, at, 0, 1, 3);
  grid->setRowStretch(at + 1, 1);
  room->setWidget(page);
  column->addWidget(room, 1);
  auto* close = firmButton(this, "settingsClose");
  close->setText(tr("Close"));
  close->setAutoDefault(false);
  close->setProperty("role", "quiet");
  connect(close, &QPushButton::clicked, this, &QDialog::accept);
  column->addWidget(close, 0, Qt::AlignRight);
  refresh();
}

void SettingsDialog::addRow(QGridLayout* grid, int at, const SettingWords& each) {
  QWidget* page = grid->parentWidget();
  const std::size_t row = rows_.size();
  auto* title = new QLabel(each.title, page);
  title->setFont(textFont(13));
  QWidget* field = nullptr;
  if (each.choices.empty()) {
    auto* line = new QLineEdit(page);
    connect(line, &QLineEdit::editingFinished, this, [this, row, line] { take(row, line->text()); });
    field = line;
  } else {
    auto* box = new QComboBox(page);
    for (const auto& [value, text] : each.choices) box->addItem(text, value);
    connect(box, &QComboBox::activated, this, [this, row, box] { take(row, box->currentData().toString()); });
    field = box;
  }
  field->setObjectName(QString("setting_%1").arg(each.key));
  field->setAccessibleName(each.title);
  title->setBuddy(field);
  auto* reset = smallButton(page, tr("reset"), tr("%1: as it is without a choice").arg(each.title));
  reset->setObjectName(QString("reset_%1").arg(each.key));
  connect(reset, &QToolButton::clicked, this, [this, row, field] {
    field->setFocus();
    change(row, [this, row] { settings::resetSetting(rows_[row].key); });
  });
  const settings::Setting now = settingOf(each.key);
  auto* where = mutedLabel(page, tr("Kept in %1").arg(QString::fromStdString(now.where)));
  where->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* trouble = new QLabel(page);
  trouble->setObjectName(QString("trouble_%1").arg(each.key));
  trouble->setProperty("role", "differs");
  trouble->setWordWrap(true);
  trouble->hide();
  grid->addWidget(title, at, 0);
  grid->addWidget(field, at, 1);
  grid->addWidget(reset, at, 2);
  grid->addWidget(trouble, at + 1, 1, 1, 2);
  grid->addWidget(where, at + 2, 1, 1, 2);
  grid->setRowMinimumHeight(at + 3, 8);
  rows_.push_back({each.key, field, reset, trouble});
}

void SettingsDialog::take(std::size_t row, const QString& value) {
  change(row, [this, row, value] { settings::setSetting(rows_[row].key, value.toStdString()); });
}

void SettingsDialog::change(std::size_t row, const std::function<void()>& act) {
  const std::string& key = rows_[row].key;
  rows_[row].trouble->hide();
  try {
    const std::string before = settingOf(key).value;
    act();
    refresh();
    if (settingOf(key).value != before) emit changed(QString::fromStdString(key));
  } catch (const Error& e) {
    rows_[row].trouble->setText(told(e));
    rows_[row].trouble->show();
  }
}

void SettingsDialog::refresh() {
  const auto all = settings::allSettings();
  for (const Row& row : rows_) {
    const auto now = std::find_if(all.begin(), all.end(), [&](const auto& each) { return each.key == row.key; });
    const QString value = QString::fromStdString(now->value);
    if (auto* line = qobject_cast<QLineEdit*>(row.field); line != nullptr && line->text() != value)
      line->setText(value);
    if (auto* box = qobject_cast<QComboBox*>(row.field)) box->setCurrentIndex(box->findData(value));
    row.reset->setEnabled(!now->isUsual());
  }
}

}  // namespace imprimo::app
