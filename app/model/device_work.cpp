// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/device_work.h"

#include "app/session/help_words.h"
#include "core/base/error.h"
#include "core/store/user_library.h"

namespace imprimo::app {

void DeviceWork::lookAt(std::size_t position) {
  position_ = position <= document_.sheet().chain.size() ? position : 0;
  action_ = 0;
  choices_.clear();
  usercode_.clear();
  output_.clear();
  refresh();
}

const std::string& DeviceWork::name() const {
  static const std::string kNone;
  return position_ == 0 ? kNone : document_.sheet().chain[position_ - 1].name;
}

void DeviceWork::refresh() {
  config_.reset();
  actions_.clear();
  problem_.clear();
  data_.reset();
  if (position_ != 0 && !document_.sheet().chain[position_ - 1].description) {
    problem_ = tr("%1 is only passed by until its BSDL file is known: drop the file on it, or press Return on it.")
                   .arg(QString::fromStdString(name()));
  } else if (position_ != 0) {
    try {
      config_ = bench::deviceConfig(document_.sheet(), position_,
                                    [](const std::string& entity) { return store::findConfigCard(entity); });
      actions_ = run::actionsOf(*config_);
    } catch (const Error& e) {
      problem_ = told(e);
    }
  }
  if (action_ >= actions_.size()) action_ = 0;
  emit changed();
}

const run::DeviceAction* DeviceWork::action() const {
  return action_ < actions_.size() ? &actions_[action_] : nullptr;
}

void DeviceWork::chooseAction(std::size_t index) {
  if (index >= actions_.size() || index == action_) return;
  action_ = index;
  output_.clear();
  emit changed();
}

bool DeviceWork::chosen(const run::DeviceAction::Choice& choice) const {
  const auto found = choices_.find(choice.procedure);
  return found == choices_.end() ? choice.recommended || taken_.contains(choice.procedure) : found->second;
}

void DeviceWork::choose(const run::DeviceAction::Choice& choice, bool on) {
  if (chosen(choice) == on) return;
  choices_[choice.procedure] = on;
  emit changed();
}

void DeviceWork::setUsercode(const QString& text) {
  if (text.trimmed() == usercode_) return;
  usercode_ = text.trimmed();
  emit changed();
}

void DeviceWork::setOutput(const QString& path) {
  output_ = path;
  emit changed();
}

const sheet::Configuration* DeviceWork::file() const {
  return position_ == 0 ? nullptr : document_.sheet().configurationOf(name());
}

void DeviceWork::setFile(const QString& path) {
  document_.setConfiguration(name(), path);
  emit changed();
}

void DeviceWork::setReversed(bool reversed) {
  document_.setConfigurationReversed(name(), reversed);
  emit changed();
}

void DeviceWork::removeFile() {
  document_.setConfiguration(name(), {});
  emit changed();
}

std::optional<Placement> DeviceWork::placement() const {
  const sheet::Configuration* own = file();
  if (own == nullptr) return std::nullopt;
  Placement placed = own->file;
  const auto folder = document_.sheet().folder();
  placed.file = (folder / own->file.file).string();
  if (!own->file.wrapper.empty()) placed.wrapper = (folder / own->file.wrapper).string();
  return placed;
}

std::shared_ptr<const configure::ConfigData> DeviceWork::readFile(bool highBitFirst) const {
  try {
    if (const auto placed = placement())
      return std::make_shared<const configure::ConfigData>(configure::readConfigData(*placed, {}, highBitFirst));
  } catch (const Error&) {
    // That it cannot be read is told where it is planned.
  }
  return nullptr;
}

run::ConfigureWish DeviceWork::wish() const {
  run::ConfigureWish wish;
  wish.position = position_;
  const run::DeviceAction& what = *action();
  wish.action = what.text();
  for (const auto& choice : what.choices) {
    const auto said = choices_.find(choice.procedure);
    if (said != choices_.end()) (said->second ? wish.with : wish.without).insert(choice.procedure);
  }
  if (!usercode_.isEmpty()) {
    bool fine = false;
    const QString digits = usercode_.startsWith("0x", Qt::CaseInsensitive) ? usercode_.mid(2) : usercode_;
    wish.usercode = digits.toUInt(&fine, 16);
    if (!fine) {
      throw Error(ErrorKind::Usage, "'" + usercode_.toStdString() + "' is no user code",
                  "It has up to eight hexadecimal digits, like 0x5E0A0002.");
    }
  }
  if (what.needsFile || !wish.with.empty()) wish.file = placement();
  wish.output = output_.toStdString();
  wish.waitSeconds = document_.sheet().waitSeconds;
  return wish;
}

std::shared_ptr<run::ConfigureJob> DeviceWork::prepare(std::uint32_t clockHz) {
  data_.reset();
  taken_.clear();
  if (!config_) return nullptr;
  problem_.clear();
  const run::DeviceAction* what = action();
  if (what == nullptr) {
    data_ = readFile(config_->highBitFirst());
    problem_ = config_->description->iscProblem.empty()
                   ? tr("Nothing says how %1 is configured: open its maker's BSDL file for IEEE 1532, or write a "
                        "configuration card.")
                         .arg(QString::fromStdString(name()))
                   : QString::fromStdString(config_->description->iscProblem);
    return nullptr;
  }
  if (what->needsFile && file() == nullptr && usercode_.isEmpty()) {
    problem_ = tr("Add a file: none is chosen for %1.").arg(QString::fromStdString(name()));
    return nullptr;
  }
  if (what->reads && output_.isEmpty()) {
    problem_ = tr("Say where what is read goes.");
    return nullptr;
  }
  try {
    std::shared_ptr<run::ConfigureJob> job = run::prepareConfigure(config_, wish(), clockHz);
    if (job->data) data_ = {job, &*job->data};
    taken_ = job->wish.with;
    return job;
  } catch (const Error& e) {
    problem_ = told(e);
    data_ = readFile(config_->highBitFirst());  // what there is can be looked at all the same
    return nullptr;
  }
}

QString DeviceWork::goText() const {
  const QString device = QString::fromStdString(name());
  const run::DeviceAction* what = action();
  if (what == nullptr) return tr("Nothing to do");
  const QString action = QString::fromStdString(what->name).toLower();
  if (action == "program") return config_->byCard() ? tr("Configure %1").arg(device) : tr("Program %1").arg(device);
  if (action == "erase") return tr("Erase %1").arg(device);
  if (action == "verify") return tr("Compare %1 with the file").arg(device);
  if (action == "blank_check") return tr("Look if %1 is blank").arg(device);
  if (action == "read") return tr("Read %1…").arg(device);
  if (action == "secure") return tr("Secure %1").arg(device);
  QString words = action;
  words.replace('_', ' ');
  words[0] = words[0].toUpper();
  return words + " " + device;
}

}  // namespace imprimo::app
