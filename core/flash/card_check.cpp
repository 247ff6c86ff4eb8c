// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/card_check.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/base/number.h"

namespace imprimo::flash {
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
  const memory::Geometry* own = part.table ? &part.table->geometry : nullptr;
  const memory::Geometry& g = card.geometry;
  const std::string silent = "the part does not say";
  checks.add("id", card.id.value() == part.id.value(), fmt::format("the part answers {}", part.id.text()));
  checks.add("bank", card.id.bank == part.id.bank, fmt::format("the part is in bank {}", part.id.bank));
  if (own != nullptr) {
    checks.add("size", own->size == g.size, fmt::format("its table says {}", sizeText(own->size)));
  } else {
    checks.add("size", sizeWraps,
               !sizeWraps   ? silent
               : *sizeWraps ? "reading begins anew there"
                            : "reading goes on after it: the part is larger");
  }
  checks.add("page", own == nullptr ? std::nullopt : std::optional(g.page <= own->page),
             own == nullptr ? silent : fmt::format("its table says {}", sizeText(own->page)));
  if (own != nullptr && own->fourByte == memory::FourByteEntry::Always)
    checks.add("four_byte", g.fourByte == memory::FourByteEntry::Always,
               "its table says that it takes only four address bytes");
  for (const memory::EraseType& type : g.erase) {
    const std::string key = "erase " + sizeText(type.size);
    if (own == nullptr) {
      checks.add(key, std::nullopt, silent);
      continue;
    }
    const auto same = std::find_if(own->erase.begin(), own->erase.end(),
                                   [&](const memory::EraseType& t) { return t.size == type.size; });
    if (same == own->erase.end()) {
      checks.add(key, false, "its table has no such blocks");
    } else {
      checks.add(key, same->opcode == type.opcode, fmt::format("its table says 0x{:02X}", same->opcode));
    }
  }
  return std::move(checks.list);
}

namespace {

/// What erase[type] does in the card, held against the table at every place where either of them changes its regions.
std::string eraseContradiction(const std::string& name, const PartCard& card, const memory::EraseType& type,
                               std::size_t index, const memory::Geometry& table) {
  std::set<std::uint64_t> places{0, table.size - 1};
  for (const memory::Geometry* g : {&card.geometry, &table}) {
    for (const memory::EraseRegion& region : g->regions) places.insert(std::min(region.begin, table.size - 1));
  }
  for (const memory::EraseType& own : table.erase) {
    if (own.opcode == type.opcode && own.size != type.size) {
      return fmt::format("the card of {} says that 0x{:02X} erases {}, its own table says {}", name, type.opcode,
                         sizeText(type.size), sizeText(own.size));
    }
  }
  for (std::size_t t = 0; t < table.erase.size(); ++t) {
    const memory::EraseType& own = table.erase[t];
    if (own.size == type.size && own.opcode != type.opcode) {
      return fmt::format("the card of {} erases {} with 0x{:02X}, its own table says 0x{:02X}", name,
                         sizeText(type.size), type.opcode, own.opcode);
    }
    if (own.opcode4 != 0 && type.opcode4 != 0 && own.size == type.size && own.opcode4 != type.opcode4) {
      return fmt::format("the card of {} erases {} with 0x{:02X} and four address bytes, its own table says 0x{:02X}",
                         name, sizeText(type.size), type.opcode4, own.opcode4);
    }
    if (own.size != type.size) continue;
    for (const std::uint64_t place : places) {
      const AddressRange here = card.geometry.erasedBy(index, place), there = table.erasedBy(t, place);
      if (here.empty() || here == there) continue;
      return there.empty() ? fmt::format("the card of {} erases {} at {}, where its own table has no such blocks", name,
                                         sizeText(type.size), hexAddress(place))
                           : fmt::format("the card of {} erases {} at {}, its own table says {}", name, rangeText(here),
                                         hexAddress(place), rangeText(there));
    }
  }
  return {};
}

}  // namespace

std::string contradiction(const std::string& name, const PartCard& card, const memory::Geometry& table) {
  const memory::Geometry& g = card.geometry;
  if (g.size != table.size) {
    return fmt::format("the card of {} says {}, its own table {}", name, sizeText(g.size), sizeText(table.size));
  }
  if (g.page > table.page) {
    return fmt::format("the card of {} says a page of {} bytes, its own table {}", name, g.page, table.page);
  }
  for (std::size_t i = 0; i < g.erase.size(); ++i) {
    std::string wrong = eraseContradiction(name, card, g.erase[i], i, table);
    if (!wrong.empty()) return wrong;
  }
  return {};
}

PartCard cardFromDevice(const std::string& name, const FlashEvidence& part) {
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

}  // namespace imprimo::flash
