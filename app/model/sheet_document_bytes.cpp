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
  step(tr("byte 0x%1").arg(address, 6, 16, QChar('0')), [&](sheet::Sheet& sheet) {
    std::erase_if(sheet.edits, [&](const sheet::Edit& e) { return e.memory == memory; });
    const std::size_t others = sheet.edits.size();
    for (const auto& [at, value] : bytes) {
      const bool joins = sheet.edits.size() > others && sheet.edits.back().at + sheet.edits.back().bytes.size() == at;
      if (!joins) sheet.edits.push_back({memory, at, {}});
      sheet.edits.back().bytes.push_back(value);
    }
  });
}

void SheetDocument::removeEdits(const std::string& memory) {
  if (sheet_.editsIn(memory).empty()) return;
  step(tr("typed bytes of %1").arg(QString::fromStdString(memory)), [&](sheet::Sheet& sheet) {
    std::erase_if(sheet.edits, [&](const sheet::Edit& e) { return e.memory == memory; });
  });
}

void SheetDocument::setEraseList(const std::string& memory, const std::vector<AddressRange>& ranges) {
  if (sheet_.listedToErase(memory) == ranges) return;
  step(tr("erase list of %1").arg(QString::fromStdString(memory)), [&](sheet::Sheet& sheet) {
    std::erase_if(sheet.erase, [&](const sheet::EraseRange& r) { return r.memory == memory; });
    for (const AddressRange& r : ranges) sheet.erase.push_back({memory, r});
  });
}

void SheetDocument::setPartCard(const std::string& memory, const QString& path) {
  step(tr("part card of %1").arg(QString::fromStdString(memory)), [&](sheet::Sheet& sheet) {
    for (sheet::MemoryEntry& entry : sheet.memories) {
      if (entry.name == memory) entry.partCard = relative(path).toStdString();
    }
  });
}

void SheetDocument::setCoreWords(const std::string& core, const std::vector<sheet::WordWish>& words) {
  step(tr("configuration words of %1").arg(QString::fromStdString(core)), [&](sheet::Sheet& sheet) {
    for (sheet::CoreEntry& entry : sheet.cores) {
      if (entry.name == core) entry.words = words;
    }
  });
}

}  // namespace imprimo::app
