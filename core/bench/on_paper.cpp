// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/on_paper.h"

#include "core/base/input_file.h"

namespace imprimo::bench {

flash::PartCard namedCard(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  return readReferred(entry.partCardFrom, [&] { return flash::readPartCard(sheet.folder() / *entry.partCard); });
}

std::optional<flash::PartCard> cardOnPaper(const sheet::Sheet& sheet, const std::string& name) {
  const sheet::MemoryEntry& entry = sheet.memory(name);
  if (entry.partCard) return namedCard(sheet, entry);
  if (!entry.lastSeen.empty())
    return flash::parsePartCard(entry.lastSeen, sheet.path.string() + ": last_seen of " + name);
  return std::nullopt;
}

std::optional<memory::Geometry> geometryOnPaper(const sheet::Sheet& sheet, const std::string& name) {
  const auto card = cardOnPaper(sheet, name);
  return card ? std::optional(card->geometry) : std::nullopt;
}

}  // namespace imprimo::bench
