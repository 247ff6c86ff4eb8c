// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/sheet_document.h"

#include <QDir>
#include <QFileInfo>
#include <QRegularExpression>
#include <algorithm>
#include <set>
#include <utility>

#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/discover/board_sheet.h"
#include "core/sheet/memory_adding.h"
#include "core/sheet/sheet_differences.h"

namespace imprimo::app {

void SheetDocument::open(const QString& path) {
  const std::filesystem::path file = QFileInfo(path).absoluteFilePath().toStdString();
  std::string text = readTextFile(file, kSheetFile);
  sheet::Sheet sheet = sheet::parseSheet(text, file);
  saved_ = std::move(text);
  start(std::move(sheet));
}

void SheetDocument::resume(const std::string& text, const std::filesystem::path& path, const std::string& saved) {
  sheet::Sheet sheet = sheet::parseSheet(text, path);
  saved_ = saved;
  start(std::move(sheet));
  history_.clear();  // none of its states is what the file holds
  setModified(true);
}

void SheetDocument::start(sheet::Sheet sheet) {
  sheet_ = std::move(sheet);
  history_.clear();
  open_ = true;
  modified_ = sheet_.path.empty();
  if (!modified_) history_.setSaved();
  emit opened();
  emit modifiedChanged();
  emit historyChanged();
}

void SheetDocument::save() {
  std::string now;
  try {
    now = readTextFile(sheet_.path, kSheetFile);
  } catch (const Error&) {
    now = saved_;  // it was taken away: nothing is lost by writing it
  }
  if (now != saved_)
    throw ChangedMeanwhile(sheet_.path.filename().string(), sheet::differences(now, sheet::sheetText(sheet_)));
  saveOver();
}

void SheetDocument::saveOver() {
  sheet::saveSheet(sheet_);
  saved_ = sheet::sheetText(sheet_);
  history_.setSaved();
  setModified(false);
}

void SheetDocument::saveAs(const QString& path) {
  sheet::Sheet copy = sheet::movedTo(sheet_, QFileInfo(path).absoluteFilePath().toStdString());
  sheet::saveSheet(copy);
  sheet_ = std::move(copy);
  history_.moveTo(sheet_.path);
  saved_ = sheet::sheetText(sheet_);
  history_.setSaved();
  setModified(false);
  emit placementsChanged();
  emit settingsChanged();
}

void SheetDocument::change(const QString& what, const std::function<void(sheet::SheetJson&)>& make) {
  sheet::SheetJson root = sheet::sheetJson(sheet_);
  make(root);
  replace(what, sheet::sheetOf(root, sheet_));
}

void SheetDocument::replace(const QString& what, sheet::Sheet next) {
  step(what, [&](sheet::Sheet& sheet) { sheet = std::move(next); });
}

void SheetDocument::takeFile(sheet::Sheet next, const std::string& text) {
  saved_ = text;
  replace(tr("what another program wrote"), std::move(next));
  history_.setSaved();
  setModified(false);
}

void SheetDocument::step(const QString& what, const std::function<void(sheet::Sheet&)>& make) {
  sheet::Sheet next = sheet_;
  make(next);
  const sheet::Sheet before = std::exchange(sheet_, std::move(next));
  history_.add(what, before);
  setModified(true);
  tellOf(before);
  emit historyChanged();
}

void SheetDocument::undo() {
  if (!undoText().isEmpty()) take(history_.undo(sheet_));
}

void SheetDocument::redo() {
  if (!redoText().isEmpty()) take(history_.redo(sheet_));
}

/// What a memory said of itself since is no change, and stays.
void SheetDocument::take(sheet::Sheet next) {
  const sheet::Sheet before = std::move(sheet_);
  sheet_ = std::move(next);
  for (const sheet::MemoryEntry& entry : before.memories) {
    if (!entry.lastSeen.empty()) setLastSeen(entry.name, entry.lastSeen);
  }
  setModified(!history_.isSaved());
  tellOf(before);
  emit historyChanged();
}

QString SheetDocument::relative(const QString& path) const {
  if (sheet_.path.empty()) return path;
  const QString inside = QDir(QString::fromStdString(sheet_.folder().string())).relativeFilePath(path);
  return inside.startsWith("..") ? path : inside;
}

void SheetDocument::describeDevices(const std::vector<std::pair<std::size_t, std::filesystem::path>>& files,
                                    const jtag::FoundChain* chain) {
  static const QRegularExpression kNumbered("^device-[0-9]+$");
  sheet::Sheet next = sheet_;
  std::uint32_t total = 0;
  for (const sheet::Device& device : next.chain) total += device.irLength;
  for (const auto& [position, file] : files) sheet::describeDevice(next, position, file);
  sheet::SheetJson root = sheet::sheetJson(next);
  if (chain != nullptr && chain->devices.size() == next.chain.size()) {
    const auto lengths = discover::lengthsFor(*chain, discover::toldBy(next));
    for (std::size_t i = 0; i < lengths.size(); ++i) {
      if (!next.chain[i].lengthAssumed) continue;
      root["chain"][i]["ir_length"] = lengths[i].bits;
      if (!lengths[i].assumed) root["chain"][i].erase("assumed");
    }
  } else {
    sheet::fitAssumedLengths(root, next.chain, total);
  }
  for (const auto& [position, file] : files) {
    const sheet::Device& device = next.chain[position - 1];
    // What was found says all bits of its IDCODE; the description knows which of them count.
    sheet::SheetJson& entry = root["chain"][position - 1];
    for (const bsdl::Pattern& p : device.description->idcodes) {
      if (isNew() && entry.contains("mask") && !device.idcodes.empty() && p.matches(device.idcodes.front().value))
        entry["mask"] = hexIdcode(p.mask);
    }
    if (!kNumbered.match(QString::fromStdString(device.name)).hasMatch()) continue;
    sheet::setValue(root, {"chain", position - 1, "name"},
                    sheet::freeName(root, "chain", sheet::nameFromEntity(device.description->entity)));
  }
  next = sheet::sheetOf(root, next);
  const QString what =
      files.size() == 1 ? tr("description of %1").arg(QString::fromStdString(next.chain[files.front().first - 1].name))
                        : tr("%1 descriptions").arg(files.size());
  replace(what, std::move(next));
}

void SheetDocument::setPinRoute(const std::string& memory, const sheet::PinRoute& route) {
  replace(tr("wires of %1").arg(QString::fromStdString(memory)), sheet::withPinRoute(sheet_, memory, route));
}

void SheetDocument::setPinLabel(const sheet::PinLabel& label) {
  const auto same = [&](const sheet::PinLabel& each) { return each.device == label.device && each.port == label.port; };
  const auto known = std::find_if(sheet_.pins.begin(), sheet_.pins.end(), same);
  const bool says = !label.name.empty() || label.level;
  if (known == sheet_.pins.end() ? !says : *known == label) return;
  const auto index = known - sheet_.pins.begin();
  step(tr("pin %1").arg(QString::fromStdString(label.port)), [&](sheet::Sheet& sheet) {
    if (index == static_cast<std::ptrdiff_t>(sheet.pins.size())) {
      sheet.pins.push_back(label);
    } else if (says) {
      sheet.pins[static_cast<std::size_t>(index)] = label;
    } else {
      sheet.pins.erase(sheet.pins.begin() + index);
    }
  });
}

void SheetDocument::setClock(std::uint32_t hz, const std::map<std::string, std::uint32_t>& memories) {
  step(tr("clock"), [&](sheet::Sheet& sheet) {
    sheet.clockHz = hz;
    for (sheet::MemoryEntry& entry : sheet.memories) {
      const auto own = memories.find(entry.name);
      if (own != memories.end() && own->second < hz) {
        entry.clockHz = own->second;
      } else if (entry.clockHz) {
        entry.clockHz = hz;
      }
    }
  });
}

void SheetDocument::addFile(const std::string& memory, const QString& path, std::optional<std::uint64_t> at,
                            const QString& wrapper) {
  step(tr("file %1").arg(QFileInfo(path).fileName()), [&](sheet::Sheet& sheet) {
    sheet.placements.push_back({memory, relative(path).toStdString(), at, false});
    if (!wrapper.isEmpty()) sheet.placements.back().wrapper = relative(wrapper).toStdString();
  });
}

void SheetDocument::setPlacement(std::size_t index, const Placement& placement) {
  if (sheet_.placements.at(index) == placement) return;
  step(tr("file %1").arg(QFileInfo(QString::fromStdString(placement.file)).fileName()),
       [&](sheet::Sheet& sheet) { sheet.placements[index] = placement; });
}

void SheetDocument::setImage(const std::string& memory, const std::vector<Placement>& placements,
                             const std::vector<SumPlacement>& sums, const Bytes& sync) {
  step(tr("image of %1").arg(QString::fromStdString(memory)), [&](sheet::Sheet& sheet) {
    std::erase_if(sheet.placements, [&](const Placement& p) { return p.memory == memory; });
    std::erase_if(sheet.sums, [&](const SumPlacement& s) { return s.memory == memory; });
    sheet.placements.insert(sheet.placements.end(), placements.begin(), placements.end());
    sheet.sums.insert(sheet.sums.end(), sums.begin(), sums.end());
    for (sheet::MemoryEntry& entry : sheet.memories) {
      if (entry.name == memory) entry.sync = sync;
    }
  });
}

void SheetDocument::setConfiguration(const std::string& device, const QString& path) {
  step(tr("file of %1").arg(QString::fromStdString(device)), [&](sheet::Sheet& sheet) {
    std::erase_if(sheet.configurations, [&](const sheet::Configuration& c) { return c.device == device; });
    if (path.isEmpty()) return;
    const QString whole = QFileInfo(path).absoluteFilePath();
    sheet.configurations.push_back({device, {.memory = {}, .file = relative(whole).toStdString(), .at = {}}});
  });
}

void SheetDocument::setConfigurationReversed(const std::string& device, bool reversed) {
  step(tr("bit order of %1").arg(QString::fromStdString(device)), [&](sheet::Sheet& sheet) {
    for (sheet::Configuration& c : sheet.configurations) {
      if (c.device == device) c.file.reversed = reversed;
    }
  });
}

void SheetDocument::setConfigCard(std::size_t position, const QString& path) {
  step(tr("card of %1").arg(QString::fromStdString(sheet_.chain.at(position - 1).name)),
       [&](sheet::Sheet& sheet) { sheet.chain.at(position - 1).configCard = relative(path).toStdString(); });
}

void SheetDocument::removePlacement(std::size_t index) {
  step(tr("file %1").arg(QFileInfo(QString::fromStdString(sheet_.placements.at(index).file)).fileName()),
       [&](sheet::Sheet& sheet) {
         sheet.placements.erase(sheet.placements.begin() + static_cast<std::ptrdiff_t>(index));
       });
}

void SheetDocument::movePlacement(std::size_t from, std::size_t to) {
  if (from >= sheet_.placements.size() || to >= sheet_.placements.size() || from == to) return;
  step(tr("order of files"), [&](sheet::Sheet& sheet) {
    Placement moved = std::move(sheet.placements[from]);
    sheet.placements.erase(sheet.placements.begin() + static_cast<std::ptrdiff_t>(from));
    sheet.placements.insert(sheet.placements.begin() + static_cast<std::ptrdiff_t>(to), std::move(moved));
  });
}

void SheetDocument::addBookmark(const sheet::Bookmark& bookmark) {
  step(tr("bookmark %1").arg(QString::fromStdString(bookmark.name)),
       [&](sheet::Sheet& sheet) { sheet.bookmarks.push_back(bookmark); });
}

void SheetDocument::removeBookmark(std::size_t index) {
  step(tr("bookmark %1").arg(QString::fromStdString(sheet_.bookmarks.at(index).name)), [&](sheet::Sheet& sheet) {
    sheet.bookmarks.erase(sheet.bookmarks.begin() + static_cast<std::ptrdiff_t>(index));
  });
}

void SheetDocument::setLastSeen(const std::string& memory, const std::string& cardText) {
  for (sheet::MemoryEntry& entry : sheet_.memories) {
    if (entry.name == memory) entry.lastSeen = cardText;
  }
}

namespace {

/// What the functions above change of devices, cores and memories; everything else is as it was read.
bool sameHardwareNow(const sheet::Sheet& a, const sheet::Sheet& b) {
  const auto device = [](const sheet::Device& one, const sheet::Device& other) {
    return one.bsdlFile == other.bsdlFile && one.configCard == other.configCard;
  };
  const auto memory = [](const sheet::MemoryEntry& one, const sheet::MemoryEntry& other) {
    return one.partCard == other.partCard;
  };
  return std::equal(a.chain.begin(), a.chain.end(), b.chain.begin(), b.chain.end(), device) &&
         std::equal(a.memories.begin(), a.memories.end(), b.memories.begin(), b.memories.end(), memory);
}

bool sameSettingsNow(const sheet::Sheet& a, const sheet::Sheet& b) {
  const auto core = [](const sheet::CoreEntry& one, const sheet::CoreEntry& other) { return one.words == other.words; };
  const auto memory = [](const sheet::MemoryEntry& one, const sheet::MemoryEntry& other) {
    return one.clockHz == other.clockHz && one.sync == other.sync;
  };
  return a.clockHz == b.clockHz && std::equal(a.cores.begin(), a.cores.end(), b.cores.begin(), b.cores.end(), core) &&
         std::equal(a.memories.begin(), a.memories.end(), b.memories.begin(), b.memories.end(), memory);
}

/// The keys that say what is connected, as they were read; or those that runs depend on besides.
sheet::SheetJson keysOf(const sheet::Sheet& sheet, bool hardware) {
  static const std::set<std::string> kSettings{"clock", "sync", "boot", "words", "lock", "console"};
  sheet::SheetJson keys;
  if (!sheet.source) return keys;
  for (const char* list : {"chain", "cores", "memories"}) {
    if (!sheet.source->contains(list)) continue;
    for (const sheet::SheetJson& entry : (*sheet.source)[list]) {
      sheet::SheetJson some;
      for (const auto& [key, value] : entry.items()) {
        if (key != "last_seen" && kSettings.contains(key) != hardware) some[key] = value;
      }
      keys[list].push_back(std::move(some));
    }
  }
  if (hardware) return keys;
  for (const char* key : {"title", "probe", "keep", "after"}) keys[key] = sheet.source->value(key, sheet::SheetJson());
  return keys;
}

}  // namespace

void SheetDocument::tellOf(const sheet::Sheet& before) {
  const bool sameText = before.source == sheet_.source;
  if (!sameHardwareNow(before, sheet_) || (!sameText && keysOf(before, true) != keysOf(sheet_, true)))
    return emit rebuilt();
  if (!sameSettingsNow(before, sheet_) || (!sameText && keysOf(before, false) != keysOf(sheet_, false)))
    emit settingsChanged();
  if (before.placements != sheet_.placements || before.sums != sheet_.sums ||
      before.configurations != sheet_.configurations)
    emit placementsChanged();
  if (before.edits != sheet_.edits) emit editsChanged();
  if (before.erase != sheet_.erase) emit eraseListChanged();
  if (before.bookmarks != sheet_.bookmarks) emit bookmarksChanged();
  if (before.pins != sheet_.pins) emit pinLabelsChanged();
}

void SheetDocument::setModified(bool modified) {
  if (std::exchange(modified_, modified) != modified) emit modifiedChanged();
}

}  // namespace imprimo::app
