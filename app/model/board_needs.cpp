// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/board_needs.h"

#include <algorithm>

#include "app/session/help_words.h"
#include "core/base/json.h"
#include "core/discover/board_sheet.h"

namespace imprimo::app {

BoardNeeds::BoardNeeds(SheetDocument& document, LinkModel& link, LibraryModel& library, QObject* parent)
    : QObject(parent), document_(document), link_(link), library_(library) {
  connect(&library_, &LibraryModel::changed, this, &BoardNeeds::changed);
  connect(&document_, &SheetDocument::opened, this, [this] { troubles_.clear(); });
}

/// What answers there, or else what the sheet expects where no bit of it is open but the version.
std::optional<std::uint32_t> BoardNeeds::idcodeOf(std::size_t position) const {
  const auto& report = link_.report();
  if (report && position <= report->chain.devices.size()) return report->chain.devices[position - 1].idcode;
  const auto& idcodes = document_.sheet().chain.at(position - 1).idcodes;
  return idcodes.empty() ? std::nullopt : std::optional(idcodes.front().value);
}

BoardNeeds::Need BoardNeeds::of(std::size_t position) const {
  Need need;
  const auto& chain = document_.sheet().chain;
  if (position == 0 || position > chain.size()) return need;
  const sheet::Device& device = chain[position - 1];
  need.description = !device.description;
  need.length = device.lengthAssumed;
  if (const auto trouble = troubles_.find(device.name); trouble != troubles_.end()) need.trouble = trouble->second;
  if (!need.description) return need;
  if (const auto idcode = idcodeOf(position)) {
    need.fitting = library_.catalog().bsdlFor(*idcode);
  }
  return need;
}

std::size_t BoardNeeds::known() const {
  const auto& chain = document_.sheet().chain;
  return static_cast<std::size_t>(std::count_if(
      chain.begin(), chain.end(), [](const sheet::Device& d) { return d.description || !d.lengthAssumed; }));
}

void BoardNeeds::setTrouble(std::size_t position, const QString& text) {
  const std::string& name = document_.sheet().chain.at(position - 1).name;
  if (text.isEmpty()) {
    troubles_.erase(name);
  } else {
    troubles_[name] = text;
  }
  emit changed();
}

bool BoardNeeds::describe(std::size_t position, const QString& file) {
  if (position == 0 || position > document_.sheet().chain.size()) return false;
  const std::string name = document_.sheet().chain[position - 1].name;
  if (!link_.describeDevice(position, file)) {
    setTrouble(position, link_.whyNotDescribed());
    return false;
  }
  troubles_.erase(name);
  library_.refresh();
  emit changed();
  return true;
}

bool BoardNeeds::setLength(std::size_t position, const QString& text) {
  const auto& chain = document_.sheet().chain;
  if (position == 0 || position > chain.size()) return false;
  bool fine = false;
  const std::uint32_t bits = text.trimmed().toUInt(&fine);
  std::string why = fine ? std::string() : tr("'%1' is no number of bits").arg(text.trimmed()).toStdString();
  const auto& report = link_.report();
  std::vector<discover::KnownLength> lengths;
  lengths.reserve(chain.size());
  for (const sheet::Device& device : chain) lengths.push_back({device.irLength, device.lengthAssumed});
  if (why.empty() && report) why = discover::whyNotLength(report->chain, lengths, position, bits);
  if (!why.empty()) {
    const QString told =
        tr("%1: %2.").arg(QString::fromStdString(chain[position - 1].name), QString::fromStdString(why));
    setTrouble(position, told);
    emit message(told, true);
    return false;
  }
  // The guesses beside it make up the rest.
  std::vector<discover::ToldRegister> settled = discover::toldBy(document_.sheet());
  settled[position - 1] = {bits};
  if (report) lengths = discover::lengthsFor(report->chain, settled);
  const std::string name = chain[position - 1].name;
  try {
    document_.change(tr("length of %1").arg(QString::fromStdString(name)), [&](sheet::SheetJson& root) {
      for (std::size_t i = 0; i < root["chain"].size(); ++i) {
        sheet::SheetJson& device = root["chain"][i];
        if (device.contains("bsdl")) continue;
        const bool typed = i + 1 == position;
        if (!typed && !device.contains("assumed")) continue;
        device["ir_length"] = typed ? bits : lengths.at(i).bits;
        if (typed || !lengths.at(i).assumed) device.erase("assumed");
      }
    });
  } catch (const Error& e) {
    setTrouble(position, told(e));
    return false;
  }
  setTrouble(position, {});
  return true;
}

bool BoardNeeds::isPlaced(std::size_t position) const {
  const auto& report = link_.report();
  const auto& chain = document_.sheet().chain;
  const bool guesses = std::any_of(chain.begin(), chain.end(), [](const auto& d) { return d.lengthAssumed; });
  if (!guesses || !report || report->chain.devices.size() != chain.size()) return !guesses;
  return discover::lengthsFor(report->chain, discover::toldBy(document_.sheet())).at(position - 1).placed;
}

QString BoardNeeds::bounds(std::size_t position) const {
  const auto& report = link_.report();
  if (!report || position == 0 || position > report->chain.devices.size()) return {};
  const jtag::LengthBounds bounds = report->chain.devices[position - 1].irLength;
  return bounds.certain() ? QString::number(bounds.min) : tr("%1 to %2").arg(bounds.min).arg(bounds.max);
}

void BoardNeeds::lookUp() {
  if (!document_.isOpen()) return;
  // Only of a sheet that was begun here: one that says only a length has its reason.
  const auto& chain = document_.sheet().chain;
  std::vector<std::pair<std::size_t, std::filesystem::path>> found;
  for (std::size_t position = 1; position <= chain.size(); ++position) {
    const Need need = of(position);
    if (need.description && need.fitting.size() == 1 && (need.length || document_.isNew()))
      found.emplace_back(position, need.fitting.front().file);
  }
  if (found.empty()) return;
  try {
    document_.describeDevices(found, link_.report() ? &link_.report()->chain : nullptr);
  } catch (const Error& e) {
    emit message(told(e), true);
  }
}

}  // namespace imprimo::app
