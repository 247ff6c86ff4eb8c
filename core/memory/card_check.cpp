// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/card_check.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"

namespace imprimo::memory {
namespace {

class Checks {
 public:
  void add(std::string key, std::optional<bool> agrees, std::string words) {
    const auto verdict = !agrees ? CardCheck::NotTold : *agrees ? CardCheck::Agrees : CardCheck::Contradicts;
    list.push_back({verdict, std::move(key), std::move(words)});
  }
  std::vector<CardCheck> list;
};

}  // namespace

std::vector<CardCheck> checkCard(const PartCard& card, const FlashEvidence& part, std::optional<bool> sizeWraps) {
  Checks checks;
  const Geometry* own = part.table ? &part.table->geometry : nullptr;
  const Geometry& g = card.geometry;
  const std::string silent = "the part does not say";
  checks.add("id", card.id.value() == part.id.value(), fmt::format("the part answers {}", part.id.text()));
  checks.add("bank", card.id.bank == part.id.bank, fmt::format("the part is in bank {}", part.id.bank));
  if (own != nullptr) {
    checks.add("size", own->size == g.size, fmt::format("its table says {}", sizeText(own->size)));
  } else {
    checks.add("size", sizeWraps,
               !sizeWraps   ? silent
               : *sizeWraps ? "reading begins anew there"
                            : "reading goes on behind it: the part is larger");
  }
  checks.add("page", own == nullptr ? std::nullopt : std::optional(g.page <= own->page),
             own == nullptr ? silent : fmt::format("its table says {}", sizeText(own->page)));
  for (const EraseType& type : g.erase) {
    const std::string key = "erase " + sizeText(type.size);
    if (own == nullptr) {
      checks.add(key, std::nullopt, silent);
      continue;
    }
    const auto same =
        std::find_if(own->erase.begin(), own->erase.end(), [&](const EraseType& t) { return t.size == type.size; });
    if (same == own->erase.end()) {
      checks.add(key, false, "its table has no such blocks");
    } else {
      checks.add(key, same->opcode == type.opcode, fmt::format("its table says 0x{:02X}", same->opcode));
    }
  }
  return std::move(checks.list);
}

PartCard cardFromPart(const std::string& name, const FlashEvidence& part) {
  PartCard card;
  card.name = name;
  card.id = part.id;
  if (part.table) {
    card.geometry = part.table->geometry;
    card.registers = standardRegisters(part.table->facts);
    card.deepPowerDown = part.table->facts.deepPowerDown;
    return card;
  }
  card.geometry.size = 1 << 20;
  card.geometry.page = 256;
  card.geometry.pageTypical = 0.001;
  card.geometry.pageLongest = 0.005;
  card.geometry.erase = {{4096, 0x20, 0.06, 0.5}, {65536, 0xD8, 0.3, 3.0}};
  card.registers = standardRegisters({});
  return card;
}

PartCard cardOf(const std::string& name, const FlashIdentity& part) {
  return {
      name, part.id, part.geometry, part.registers, part.protection, part.uniqueIdCommand, part.facts.deepPowerDown};
}

}  // namespace imprimo::memory
