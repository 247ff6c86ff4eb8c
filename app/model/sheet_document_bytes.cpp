// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a sheet says about single bytes and ranges: typed bytes, and the list of what is erased.
#include <map>

#include "app/model/sheet_document.h"

namespace imprimo::app {

void SheetDocument::typeByte(const std::string& memory, std::uint64_t address, std::optional<std::uint8_t> byte) {
  std::map<std::uint64_t, std::uint8_t> bytes;
  for (const sheet::Edit& e : sheet_.editsIn(memory)) {
    for (std::size_t i = 0; i < e.bytes.size(); ++i) bytes[e.at + i] = e.bytes[i];
  }
  const auto before = bytes;
  if (byte) {
    bytes[address] = *byte;
  } else {
    bytes.erase(address);
  }
  if (bytes == before) return;
  editHistory_.push_back(sheet_.edits);
  std::erase_if(sheet_.edits, [&](const sheet::Edit& e) { return e.memory == memory; });
  const std::size_t others = sheet_.edits.size();
  for (const auto& [at, value] : bytes) {
    const bool joins = sheet_.edits.size() > others && sheet_.edits.back().at + sheet_.edits.back().bytes.size() == at;
    if (!joins) sheet_.edits.push_back({memory, at, {}});
    sheet_.edits.back().bytes.push_back(value);
  }
  setModified(true);
  emit editsChanged();
}

void SheetDocument::undoEdit() {
  if (editHistory_.empty()) return;
  sheet_.edits = std::move(editHistory_.back());
  editHistory_.pop_back();
  setModified(true);
  emit editsChanged();
}

void SheetDocument::removeEdits(const std::string& memory) {
  if (sheet_.editsIn(memory).empty()) return;
  editHistory_.push_back(sheet_.edits);
  std::erase_if(sheet_.edits, [&](const sheet::Edit& e) { return e.memory == memory; });
  setModified(true);
  emit editsChanged();
}

void SheetDocument::setEraseList(const std::string& memory, const std::vector<AddressRange>& ranges) {
  if (sheet_.listedToErase(memory) == ranges) return;
  std::erase_if(sheet_.erase, [&](const sheet::EraseRange& r) { return r.memory == memory; });
  for (const AddressRange& r : ranges) sheet_.erase.push_back({memory, r});
  setModified(true);
  emit eraseListChanged();
}

void SheetDocument::setPartCard(const std::string& memory, const QString& path) {
  for (sheet::MemoryEntry& entry : sheet_.memories) {
    if (entry.name == memory) entry.partCard = relative(path).toStdString();
  }
  setModified(true);
}

void SheetDocument::setCoreWords(const std::string& core, const std::vector<sheet::WordWish>& words) {
  for (sheet::CoreEntry& entry : sheet_.cores) {
    if (entry.name == core) entry.words = words;
  }
  setModified(true);
}

}  // namespace imprimo::app
