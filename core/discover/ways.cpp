// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/discover/ways.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/base/json.h"
#include "core/base/letter_case.h"
#include "core/base/number.h"
#include "core/bench/cores/cores.h"
#include "core/configure/bridge_card.h"
#include "core/debug/core_card.h"
#include "core/pins/boundary_ports.h"
#include "core/pins/wire_candidates.h"

namespace imprimo::discover {
namespace {

using Json = sheet::SheetJson;

Json bridgeEntry(const std::string& device, const std::string& instruction, const std::string& load) {
  Json route{{"via", "bridge"}, {"device", device}, {"instruction", instruction}};
  if (!load.empty()) route["load"] = load;
  return {{"type", "spi-nor"}, {"route", std::move(route)}};
}

/// Private instructions that select a register of one bit which only the maker knows: what a design in the fabric
/// provides is reached so.
std::vector<std::string> fabricInstructions(const bsdl::BoundaryDescription& description) {
  std::set<std::string> hidden;
  for (const bsdl::Instruction& instruction : description.instructions) {
    if (instruction.isPrivate) hidden.insert(lowered(instruction.name));
  }
  std::vector<std::string> names;
  for (const bsdl::RegisterAccess& access : description.registers) {
    if (access.length != 1U) continue;
    for (const auto& use : access.uses) {
      if (hidden.contains(lowered(use.instruction))) names.push_back(use.instruction);
    }
  }
  return names;
}

bool isInUse(const sheet::Sheet& sheet, const Json& route) {
  const Json root = sheet::sheetJson(sheet);
  if (!root.contains("memories")) return false;
  return std::any_of(root["memories"].begin(), root["memories"].end(), [&](const Json& memory) {
    return std::all_of(route.items().begin(), route.items().end(), [&](const auto& item) {
      return item.key() == "load" ||
             (memory["route"].contains(item.key()) && memory["route"][item.key()] == item.value());
    });
  });
}

void addUnlessUsed(std::vector<Way>& ways, const sheet::Sheet& sheet, Way way, const Json& entry) {
  if (isInUse(sheet, entry["route"])) return;
  way.memory = entry.dump();
  ways.push_back(std::move(way));
}

/// What `device` is loaded with is a bridge only where something says how a file goes into it.
void addBridges(std::vector<Way>& ways, const sheet::Sheet& sheet, const sheet::Device& device,
                const store::Catalog& catalog) {
  std::set<std::string> named;
  const bool configurable =
      device.description->isc || !device.configCard.empty() ||
      std::any_of(catalog.all().begin(), catalog.all().end(), [&](const store::Description& d) {
        return d.kind == store::DescriptionKind::ConfigCard && sameButForCase(d.entity, device.description->entity);
      });
  const auto add = [&](const std::string& instruction, const std::string& load, const std::string& words) {
    Way way;
    way.title = "Through a bridge in its fabric";
    way.words = words;
    way.name = "flash";
    way.harmless = true;
    way.loads = !load.empty();
    addUnlessUsed(ways, sheet, std::move(way), bridgeEntry(device.name, instruction, load));
  };
  for (const store::Description& d : catalog.all()) {
    if (d.kind != store::DescriptionKind::BridgeCard || d.copy || device.idcodes.empty()) continue;
    const bool fits = std::any_of(d.idcodes.begin(), d.idcodes.end(), [&](const bsdl::Pattern& p) {
      return std::any_of(device.idcodes.begin(), device.idcodes.end(),
                         [&](const bsdl::Pattern& own) { return ((p.value ^ own.value) & p.mask & own.mask) == 0; });
    });
    if (!fits) continue;
    const configure::BridgeCard card = configure::readBridgeCard(d.file);
    if (!device.description->opcode(card.instruction)) continue;
    named.insert(lowered(card.instruction));
    std::string words = fmt::format("{} · {} of the library, made for this IDCODE", card.instruction, card.image);
    if (!configurable) words += fmt::format("; a configuration card for {} is missing", device.description->entity);
    add(card.instruction, configurable ? card.imagePath().string() : std::string(), words);
  }
  for (const std::string& instruction : fabricInstructions(*device.description)) {
    if (named.contains(lowered(instruction))) continue;
    add(instruction, {}, fmt::format("{} · no image in the library: the bridge has to run already", instruction));
  }
}

std::string namedText(std::size_t named, std::size_t ports) {
  return named == 0
             ? fmt::format("none of its {} is named like a wire of a serial flash", countText(ports, "port"))
             : fmt::format("{} of its {} are named like wires of a serial flash", named, countText(ports, "port"));
}

void addPins(std::vector<Way>& ways, const sheet::Device& device) {
  if (device.description->cells.empty()) return;
  pins::BoundaryPorts ports;
  try {
    ports = pins::boundaryPorts(*device.description);
  } catch (const Error&) {
    return;  // a register that cannot be used leads nowhere
  }
  Way way;
  way.kind = Way::Kind::Pins;
  way.title = "Through its pins";
  way.name = "flash";
  way.words = namedText(pins::namedLikeWires(ports).size(), ports.ports.size()) +
              ". Looking for them cuts its own logic off from its pins.";
  ways.push_back(std::move(way));
}

Json regionEntry(const std::string& core, const debug::CoreRegion& region) {
  return {{"type", region.flash ? "core-flash" : "ram"},
          {"route", {{"via", "core"}, {"core", core}, {"region", region.name}}}};
}

void addRegions(std::vector<Way>& ways, const sheet::Sheet& sheet, const debug::CoreCard& card, const std::string& core,
                const std::string& entry, const std::string& from) {
  for (const debug::CoreRegion& region : card.regions) {
    Way way;
    way.kind = Way::Kind::Core;
    way.title = fmt::format("{} of its core", region.name);
    way.words = fmt::format("{} at 0x{:08X}, {} · {}", region.flash ? "flash" : "RAM", region.range.begin,
                            sizeText(region.range.size()), from);
    way.name = region.name;
    way.core = entry;
    way.harmless = true;
    addUnlessUsed(ways, sheet, std::move(way), regionEntry(core, region));
  }
}

void addCores(std::vector<Way>& ways, const sheet::Sheet& sheet, std::size_t position, const store::Catalog& catalog) {
  const sheet::Device& device = sheet.chain[position - 1];
  bool has = false;
  for (const sheet::CoreEntry& core : sheet.cores) {
    if (core.position != position) continue;
    has = true;
    try {
      addRegions(ways, sheet, bench::cardOf(sheet, core), core.name, "", "the sheet's core " + core.name);
    } catch (const Error&) {
      // A card that cannot be read is told of where the core is.
    }
  }
  if (has) return;
  for (const store::Description& d : catalog.all()) {
    if (d.kind != store::DescriptionKind::CoreCard || d.copy || !sameButForCase(d.entity, device.description->entity))
      continue;
    const std::string name = sheet::freeName(sheet::sheetJson(sheet), "cores", device.name + "-core");
    const Json entry{{"name", name}, {"port", "jtag"}, {"device", device.name}, {"card", d.file.string()}};
    addRegions(ways, sheet, debug::readCoreCard(d.file), name, entry.dump(),
               d.file.filename().string() + " of the library");
  }
}

void addDirect(std::vector<Way>& ways, const sheet::Device& device, const store::Catalog& catalog) {
  std::string by = device.configCard.empty() ? "" : "by the card " + device.configCard;
  for (const store::Description& d : catalog.all()) {
    if (!by.empty() || d.kind != store::DescriptionKind::ConfigCard ||
        !sameButForCase(d.entity, device.description->entity))
      continue;
    by = fmt::format("by the card {} of the library", d.file.filename().string());
  }
  if (by.empty() && device.description->isc) by = "as its BSDL file says (IEEE 1532)";
  if (by.empty()) return;
  Way way;
  way.kind = Way::Kind::Direct;
  way.title = "Configured directly, no memory";
  way.words = by;
  ways.push_back(std::move(way));
}

}  // namespace

std::vector<Way> waysOf(const sheet::Sheet& sheet, std::size_t position, const store::Catalog& catalog) {
  std::vector<Way> ways;
  if (position == 0 || position > sheet.chain.size()) return ways;
  const sheet::Device& device = sheet.chain[position - 1];
  if (!device.description) return ways;
  addBridges(ways, sheet, device, catalog);
  addCores(ways, sheet, position, catalog);
  addPins(ways, device);
  addDirect(ways, device, catalog);
  return ways;
}

sheet::Sheet withWay(const sheet::Sheet& sheet, const Way& way, const std::string& name) {
  Json root = sheet::sheetJson(sheet);
  Json entry{{"name", name}};
  const Json memory = Json::parse(way.memory);
  for (const auto& [key, value] : memory.items()) entry[key] = value;
  if (!way.core.empty()) root["cores"].push_back(Json::parse(way.core));
  root["memories"].push_back(std::move(entry));
  return sheet::sheetOf(root, sheet);
}

WayAnswer tryWay(bench::Bench& bench, const Way& way) {
  const std::string name = sheet::freeName(sheet::sheetJson(bench.sheet()), "memories", "trial");
  WayAnswer answer;
  try {
    bench.withTrial(withWay(bench.sheet(), way, name), name, [&](bench::BenchMemory& memory) {
      if (way.loads && !memory.routeAnswers()) {
        answer = {WayAnswer::State::NeedsLoading, "no bridge answers yet"};
        return;
      }
      const memory::Identity& identity = memory.identify();
      answer.state = WayAnswer::State::Answers;
      answer.words = sizeText(identity.geometry.size);
      if (!identity.id.empty()) answer.words += ", ID " + identity.id;
      if (!identity.describedBy.empty()) answer.words += ", described by " + identity.describedBy;
    });
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::LinkLost || e.kind() == ErrorKind::NoProbe) throw;
    answer = {WayAnswer::State::Silent, e.what()};
  }
  return answer;
}

}  // namespace imprimo::discover
