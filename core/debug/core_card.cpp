// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/core_card.h"

#include <fmt/format.h>

#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/debug/algorithm_run.h"

namespace imprimo::debug {
namespace {

constexpr std::uint64_t kSpace = 1ull << 32;

IdentityWord identityWord(const JsonNode& node) {
  node.onlyKnown({"at", "mask", "value"});
  IdentityWord identity;
  identity.at = word32(node["at"]);
  if (identity.at % 4 != 0) node["at"].fail("should be a multiple of 4");
  if (node.has("mask")) identity.mask = word32(node["mask"]);
  identity.value = word32(node["value"]);
  if ((identity.value & ~identity.mask) != 0) node["value"].fail("has bits that the mask leaves out: it never matches");
  return identity;
}

CoreRegion region(const JsonNode& node) {
  node.onlyKnown({"name", "kind", "from", "size", "algorithm", "work"});
  CoreRegion region;
  region.name = node["name"].string();
  region.flash = node["kind"].choice("ram", "flash");
  const std::uint64_t from = node["from"].number(), size = node["size"].number();
  if (size == 0 || from >= kSpace || size > kSpace - from) node["size"].fail("should end before 0x100000000");
  region.range = {from, from + size};
  if (region.flash) {
    region.algorithm = node["algorithm"].string();
    if (node.has("work")) node["work"].fail("is for RAM");
  } else {
    if (node.has("algorithm")) node["algorithm"].fail("is for flash");
    if (node.has("work")) region.work = node["work"].boolean();
  }
  return region;
}

}  // namespace

const CoreRegion& CoreCard::region(const std::string& wanted) const {
  std::string names;
  for (const CoreRegion& region : regions) {
    if (region.name == wanted) return region;
    names += (names.empty() ? "" : ", ") + region.name;
  }
  throw Error(ErrorKind::Usage, fmt::format("{} has no region named {}", name, wanted), "It has " + names + ".");
}

const ConfigWord& CoreCard::word(const std::string& wanted) const {
  std::string names;
  for (const ConfigWord& word : words) {
    if (word.name == wanted) return word;
    names += (names.empty() ? "" : ", ") + word.name;
  }
  throw Error(ErrorKind::Usage, fmt::format("{} has no configuration word named {}", name, wanted),
              names.empty() ? "Its core card describes none (\"words\")." : "It has " + names + ".");
}

AddressRange CoreCard::workRam() const {
  const CoreRegion* best = nullptr;
  for (const CoreRegion& region : regions) {
    if (region.flash) continue;
    if (region.work) return region.range;
    if (best == nullptr || region.range.size() > best->range.size()) best = &region;
  }
  if (best != nullptr) return best->range;
  throw Error(ErrorKind::BadFile,
              fmt::format("{}: {} has no RAM, where flash algorithms would run", path.string(), name),
              "Give the card a region of kind \"ram\".");
}

AddressRange CoreCard::workRam(const CoreRegion& region) const {
  return region.algorithmRam ? *region.algorithmRam : workRam();
}

FlashAlgorithm CoreCard::algorithmOf(const CoreRegion& region) const {
  FlashAlgorithm algorithm = region.reads ? region.reads() : readFlashAlgorithm(path.parent_path() / region.algorithm);
  const AddressRange device{algorithm.address, static_cast<std::uint64_t>(algorithm.address) + algorithm.size};
  if (region.range.begin < device.begin || region.range.end > device.end) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{}: it is for the flash {}, and {} is {}", algorithm.file, rangeText(device), region.name,
                            rangeText(region.range)),
                "Take the algorithm that was made for this flash, or mend the card.");
  }
  if (algorithm.empty != kBlankByte) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{}: its flash holds 0x{:02x} where it is erased, and only 0xff is known here",
                            algorithm.file, algorithm.empty),
                "Nothing was touched.");
  }
  requireRoom(algorithm, workRam(region));
  return algorithm;
}

namespace {

void readRegions(const JsonNode& list, CoreCard& card) {
  card.regions.clear();
  for (const JsonNode& node : list.elements()) {
    CoreRegion next = region(node);
    for (const CoreRegion& other : card.regions) {
      if (other.name == next.name) node["name"].fail("is the name of two regions");
      if (other.range.overlaps(next.range)) node["from"].fail(fmt::format("lies over the region {}", other.name));
    }
    card.regions.push_back(std::move(next));
  }
}

/// A word that is written by an algorithm lies in the algorithm's flash.
void requireInItsRegion(const ConfigWord& word, const CoreCard& card, const JsonNode& list) {
  if (word.region.empty()) return;
  for (const CoreRegion& region : card.regions) {
    if (region.name != word.region) continue;
    if (!region.flash) list.fail(fmt::format("{} is written by {}, which is no flash", word.name, word.region));
    if (!region.range.contains(word.range()) || (word.complementAt && !region.range.contains(word.partner())))
      list.fail(fmt::format("{} does not lie in {}, by which it is written", word.name, word.region));
    return;
  }
  list.fail(fmt::format("{} is written by {}, which is no region of the card", word.name, word.region));
}

void readTrace(const JsonNode& node, CoreTrace& trace) {
  node.onlyKnown({"steps", "clock"});
  if (node.has("steps")) trace.steps = readChipSteps(node["steps"]);
  if (node.has("clock")) trace.clock = word32(node["clock"]);
}

void parseOver(CoreCard& card, std::string_view text, const std::filesystem::path& path, bool whole) {
  const JsonText json = JsonText::parse(text, path.string());
  const JsonNode root(json);
  root.onlyKnown(
      {"core_card", "name", "identity", "regions", "locked", "locked_port", "unlock", "lock", "words", "trace"});
  if (root["core_card"].number() != 1) root["core_card"].fail("this program reads core cards of version 1");
  card.path = path;
  if (whole || root.has("name")) card.name = root["name"].string();
  if (root.has("identity")) {
    card.identity.clear();
    for (const JsonNode& node : root["identity"].elements()) card.identity.push_back(identityWord(node));
  }
  if (root.has("locked")) card.lock.locked = readLockConditions(root["locked"]);
  if (root.has("locked_port")) {
    if (root["locked_port"].string() != "silent") root["locked_port"].fail("is \"silent\" or left out");
    card.lock.silent = true;
  }
  if (root.has("unlock")) {
    card.lock.unlock.clear();
    readUnlock(root["unlock"], card.lock);
  }
  if (root.has("lock")) readLock(root["lock"], card.lock);
  if (root.has("trace")) readTrace(root["trace"].object(), card.trace);
  if (root.has("words")) card.words = readConfigWords(root["words"]);
  if (whole || root.has("regions")) readRegions(root["regions"], card);
  for (const ConfigWord& word : card.words) requireInItsRegion(word, card, root["words"]);
}

}  // namespace

CoreCard parseCoreCard(std::string_view text, const std::filesystem::path& path) {
  CoreCard card;
  parseOver(card, text, path, true);
  return card;
}

CoreCard readCoreCard(const std::filesystem::path& path) {
  return parseCoreCard(readTextFile(path, kCardFile), path);
}

void readCoreCardOver(CoreCard& card, const std::filesystem::path& path) {
  parseOver(card, readTextFile(path, kCardFile), path, false);
}

std::string coreCardText(const CoreCard& card) {
  nlohmann::ordered_json json{{"core_card", 1}, {"name", card.name}};
  for (const IdentityWord& word : card.identity)
    json["identity"].push_back(
        {{"at", hexIdcode(word.at)}, {"mask", hexIdcode(word.mask)}, {"value", hexIdcode(word.value)}});
  for (const CoreRegion& region : card.regions) {
    nlohmann::ordered_json each{{"name", region.name},
                                {"kind", region.flash ? "flash" : "ram"},
                                {"from", hexIdcode(static_cast<std::uint32_t>(region.range.begin))},
                                {"size", fmt::format("0x{:x}", region.range.size())}};
    if (region.flash) each["algorithm"] = std::filesystem::path(region.algorithm).filename().string();
    if (region.work) each["work"] = true;
    json["regions"].push_back(std::move(each));
  }
  return json.dump(2) + "\n";
}

}  // namespace imprimo::debug
