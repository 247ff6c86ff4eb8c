// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/sheet_document.h"

#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <utility>

#include "core/base/input_file.h"
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
  setModified(true);
}

void SheetDocument::start(sheet::Sheet sheet) {
  sheet_ = std::move(sheet);
  editHistory_.clear();
  open_ = true;
  modified_ = sheet_.path.empty();
  emit opened();
  emit modifiedChanged();
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
  setModified(false);
}

void SheetDocument::saveAs(const QString& path) {
  sheet::Sheet copy = sheet::movedTo(sheet_, QFileInfo(path).absoluteFilePath().toStdString());
  sheet::saveSheet(copy);
  sheet_ = std::move(copy);
  saved_ = sheet::sheetText(sheet_);
  setModified(false);
  emit placementsChanged();
}

QString SheetDocument::relative(const QString& path) const {
  if (sheet_.path.empty()) return path;
  const QString inside = QDir(QString::fromStdString(sheet_.folder().string())).relativeFilePath(path);
  return inside.startsWith("..") ? path : inside;
}

void SheetDocument::describeDevice(std::size_t position, const QString& file) {
  sheet::describeDevice(sheet_, position, file.toStdString());
  setModified(true);
  emit chainChanged();
}

void SheetDocument::setPinRoute(const std::string& memory, const sheet::PinRoute& route) {
  start(sheet::withPinRoute(sheet_, memory, route));
  setModified(true);
}

void SheetDocument::setPinLabel(const sheet::PinLabel& label) {
  const auto same = [&](const sheet::PinLabel& each) { return each.device == label.device && each.port == label.port; };
  const auto known = std::find_if(sheet_.pins.begin(), sheet_.pins.end(), same);
  const bool says = !label.name.empty() || label.level;
  if (known == sheet_.pins.end() ? !says : *known == label) return;
  if (known == sheet_.pins.end()) {
    sheet_.pins.push_back(label);
  } else if (says) {
    *known = label;
  } else {
    sheet_.pins.erase(known);
  }
  setModified(true);
  emit pinLabelsChanged();
}

void SheetDocument::setClock(std::uint32_t hz, const std::map<std::string, std::uint32_t>& memories) {
  sheet_.clockHz = hz;
  for (sheet::MemoryEntry& entry : sheet_.memories) {
    const auto own = memories.find(entry.name);
    if (own != memories.end() && own->second < hz) {
      entry.clockHz = own->second;
    } else if (entry.clockHz) {
      entry.clockHz = hz;
    }
  }
  setModified(true);
}

void SheetDocument::addFile(const std::string& memory, const QString& path, std::optional<std::uint64_t> at) {
  sheet_.placements.push_back({memory, relative(path).toStdString(), at, false});
  setModified(true);
  emit placementsChanged();
}

void SheetDocument::setPlacement(std::size_t index, const Placement& placement) {
  if (sheet_.placements.at(index) == placement) return;
  sheet_.placements[index] = placement;
  setModified(true);
  emit placementsChanged();
}

void SheetDocument::setImage(const std::string& memory, const std::vector<Placement>& placements,
                             const std::vector<SumPlacement>& sums, const Bytes& sync) {
  std::erase_if(sheet_.placements, [&](const Placement& p) { return p.memory == memory; });
  std::erase_if(sheet_.sums, [&](const SumPlacement& s) { return s.memory == memory; });
  sheet_.placements.insert(sheet_.placements.end(), placements.begin(), placements.end());
  sheet_.sums.insert(sheet_.sums.end(), sums.begin(), sums.end());
  for (sheet::MemoryEntry& entry : sheet_.memories) {
    if (entry.name == memory) entry.sync = sync;
  }
  setModified(true);
  emit placementsChanged();
}

void SheetDocument::setConfiguration(const std::string& device, const QString& path) {
  std::erase_if(sheet_.configurations, [&](const sheet::Configuration& c) { return c.device == device; });
  if (!path.isEmpty()) {
    const QString whole = QFileInfo(path).absoluteFilePath();
    sheet_.configurations.push_back({device, {.memory = {}, .file = relative(whole).toStdString(), .at = {}}});
  }
  setModified(true);
}

void SheetDocument::setConfigurationReversed(const std::string& device, bool reversed) {
  for (sheet::Configuration& c : sheet_.configurations) {
    if (c.device == device) c.file.reversed = reversed;
  }
  setModified(true);
}

void SheetDocument::setConfigCard(std::size_t position, const QString& path) {
  sheet_.chain.at(position - 1).configCard = relative(path).toStdString();
  setModified(true);
}

void SheetDocument::removePlacement(std::size_t index) {
  sheet_.placements.erase(sheet_.placements.begin() + static_cast<std::ptrdiff_t>(index));
  setModified(true);
  emit placementsChanged();
}

void SheetDocument::movePlacement(std::size_t from, std::size_t to) {
  if (from >= sheet_.placements.size() || to >= sheet_.placements.size() || from == to) return;
  Placement moved = std::move(sheet_.placements[from]);
  sheet_.placements.erase(sheet_.placements.begin() + static_cast<std::ptrdiff_t>(from));
  sheet_.placements.insert(sheet_.placements.begin() + static_cast<std::ptrdiff_t>(to), std::move(moved));
  setModified(true);
  emit placementsChanged();
}

void SheetDocument::addBookmark(const sheet::Bookmark& bookmark) {
  sheet_.bookmarks.push_back(bookmark);
  setModified(true);
  emit bookmarksChanged();
}

void SheetDocument::removeBookmark(std::size_t index) {
  sheet_.bookmarks.erase(sheet_.bookmarks.begin() + static_cast<std::ptrdiff_t>(index));
  setModified(true);
  emit bookmarksChanged();
}

void SheetDocument::setLastSeen(const std::string& memory, const std::string& cardText) {
  for (sheet::MemoryEntry& entry : sheet_.memories) {
    if (entry.name == memory) entry.lastSeen = cardText;
  }
}

void SheetDocument::setModified(bool modified) {
  if (std::exchange(modified_, modified) != modified) emit modifiedChanged();
}

}  // namespace imprimo::app
