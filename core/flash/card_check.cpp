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
               : *sizeWraps ? "reads wrap to 0 there"
                            : "reading goes on after it: the part is larger");
  }
  checks.add("page", own == nullptr ? std::nullopt : std::optional(g.page <= own->page),
             own == nullptr ? silent : fmt::format("its table says {}", sizeText(own->page)));
  if (own != nullptr && part.table->commands.fourByte == FourByteEntry::Always)
    checks.add("four_byte", card.commands.fourByte == FourByteEntry::Always,
               "its table says that it takes only four address bytes");
  for (std::size_t i = 0; i < g.erase.size(); ++i) {
    const memory::EraseType& type = g.erase[i];
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
      const std::uint8_t opcode =
          part.table->commands.erase[static_cast<std::size_t>(same - own->erase.begin())].opcode;
      checks.add(key, opcode == card.commands.erase[i].opcode, fmt::format("its table says 0x{:02X}", opcode));
    }
  }
  return std::move(checks.list);
}

namespace {

/// What erase[type] does in the card, held against the table at every place where either of them changes its regions.
std::string eraseContradiction(const std::string& name, const PartCard& card, std::size_t index, const Sfdp& sfdp) {
  const memory::Geometry& table = sfdp.geometry;
  const memory::EraseType& type = card.geometry.erase[index];
  const EraseCommand& erase = card.commands.erase[index];
  std::set<std::uint64_t> places{0, table.size - 1};
  for (const memory::Geometry* g : {&card.geometry, &table}) {
    for (const memory::EraseRegion& region : g->regions) places.insert(std::min(region.begin, table.size - 1));
  }
  for (std::size_t t = 0; t < table.erase.size(); ++t) {
    if (sfdp.commands.erase[t].opcode == erase.opcode && table.erase[t].size != type.size) {
      return fmt::format("the card of {} says that 0x{:02X} erases {}, its own table says {}", name, erase.opcode,
                         sizeText(type.size), sizeText(table.erase[t].size));
    }
  }
  for (std::size_t t = 0; t < table.erase.size(); ++t) {
    if (table.erase[t].size != type.size) continue;
    const EraseCommand& own = sfdp.commands.erase[t];
    if (own.opcode != erase.opcode) {
      return fmt::format("the card of {} erases {} with 0x{:02X}, its own table says 0x{:02X}", name,
                         sizeText(type.size), erase.opcode, own.opcode);
    }
    if (own.opcode4 != 0 && erase.opcode4 != 0 && own.opcode4 != erase.opcode4) {
      return fmt::format("the card of {} erases {} with 0x{:02X} and four address bytes, its own table says 0x{:02X}",
                         name, sizeText(type.size), erase.opcode4, own.opcode4);
    }
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

std::string contradiction(const std::string& name, const PartCard& card, const Sfdp& sfdp) {
  const memory::Geometry& table = sfdp.geometry;
  const memory::Geometry& g = card.geometry;
  if (g.size != table.size) {
    return fmt::format("the card of {} says {}, its own table {}", name, sizeText(g.size), sizeText(table.size));
  }
  if (g.page > table.page) {
    return fmt::format("the card of {} says a page of {} bytes, its own table {}", name, g.page, table.page);
  }
  for (std::size_t i = 0; i < g.erase.size(); ++i) {
    std::string wrong = eraseContradiction(name, card, i, sfdp);
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
    card.commands = part.table->commands;
    card.registers = standardRegisters(part.table->facts);
    card.deepPowerDown = part.table->facts.deepPowerDown;
    return card;
  }
  card.geometry.size = 1 << 20;
  card.geometry.page = 256;
  card.geometry.pageTypical = 0.001;
  card.geometry.pageLongest = 0.005;
  card.geometry.erase = {{4096, 0.06, 0.5}, {65536, 0.3, 3.0}};
  card.commands.erase = {{0x20}, {0xD8}};
  card.registers = standardRegisters({});
  return card;
}

PartCard cardOf(const std::string& name, const FlashIdentity& part) {
  return {name,           part.id,         part.geometry,        part.commands,
          part.registers, part.protection, part.uniqueIdCommand, part.facts.deepPowerDown};
}

}  // namespace imprimo::flash
