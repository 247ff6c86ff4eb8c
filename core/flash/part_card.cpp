// SPDX-License-Identifier: GPL-3.0-or-later
//
// docs/formats/part-card.md
#include "core/flash/part_card.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/input_file.h"
#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/flash/part_card_lines.h"

namespace imprimo::flash {
namespace {

constexpr std::array<std::pair<FourByteEntry, const char*>, 6> kFourByteWays{{
    {FourByteEntry::Always, "always"},
    {FourByteEntry::Command, "command"},
    {FourByteEntry::WriteEnableThenCommand, "write-enable-command"},
    {FourByteEntry::OwnCommands, "own-commands"},
    {FourByteEntry::SegmentRegister, "segment-register"},
    {FourByteEntry::BankRegister, "bank-register"},
}};

std::uint8_t byteOf(const JsonNode& node, const char* what = "a command is one byte") {
  const std::uint64_t value = node.number();
  if (value > 0xFF) node.fail(what);
  return static_cast<std::uint8_t>(value);
}

double secondsOf(const JsonNode& node) {
  const double seconds = node.real();
  if (!(seconds > 0) || seconds > 3600) node.fail("should be a time in seconds, more than 0");
  return seconds;
}

FourByteEntry fourByteOf(const JsonNode& node) {
  const std::string way = node.string();
  std::string known;
  for (const auto& [entry, name] : kFourByteWays) {
    if (way == name) return entry;
    known += fmt::format("{}\"{}\"", known.empty() ? "" : ", ", name);
  }
  node.fail("should be one of " + known);
}

std::pair<int, int> bitsOf(const JsonNode& node) {
  const auto bits = memory::parseBits(node.string());
  if (!bits) node.fail("should be a bit of the byte, \"7\", or several, \"4..2\"");
  return *bits;
}

AddressRange rangeOf(const JsonNode& node, std::uint64_t size) {
  const auto range = parseRange(node.string());
  if (!range) node.fail("should be A..B (both ends included) or A+N");
  if (range->end > size) node.fail("reaches past the part's end");
  return *range;
}

class Reader {
 public:
  explicit Reader(const JsonNode& root) : root_(root) {}

  PartCard card() {
    if (root_["imprimo_part"].number() != 1) root_["imprimo_part"].fail("this version reads part cards of version 1");
    card_.name = root_["name"].string();
    identification();
    geometry();
    if (root_.has("registers")) registers();
    readWideCommands(root_, card_);
    if (root_.has("protection")) protection(root_["protection"].object());
    if (root_.has("unique_id")) uniqueId(root_["unique_id"].object());
    if (root_.has("deep_power_down")) {
      const JsonNode node = root_["deep_power_down"].object();
      card_.deepPowerDown =
          FlashFacts::DeepPowerDown{byteOf(node["enter"]), byteOf(node["leave"]), secondsOf(node["wake"])};
    }
    if (root_.has("table_is_wrong")) card_.tableIsWrong = root_["table_is_wrong"].boolean();
    return std::move(card_);
  }

 private:
  void identification() {
    const std::uint64_t id = root_["id"].number();
    if (id > 0xFFFFFF) root_["id"].fail("should be three bytes: maker, then device");
    card_.id.maker = static_cast<std::uint8_t>(id >> 16);
    card_.id.device = static_cast<std::uint16_t>(id);
    if (!root_.has("bank")) return;
    const std::uint64_t bank = root_["bank"].number();
    if (bank < 1 || bank > 17) root_["bank"].fail("should be 1 to 17");
    card_.id.bank = static_cast<unsigned>(bank);
  }

  void geometry() {
    memory::Geometry& g = card_.geometry;
    NorCommands& c = card_.commands;
    g.size = root_["size"].number();
    const std::uint64_t page = root_["page"].number();
    if (page == 0 || page > 65536) root_["page"].fail("should be 1 to 64K");
    g.page = static_cast<std::uint32_t>(page);
    g.pageTypical = secondsOf(root_["program"]["typical"]);
    g.pageLongest = secondsOf(root_["program"]["longest"]);
    for (const JsonNode& node : root_["erase"].elements()) {
      const memory::EraseType type{node["size"].number(), secondsOf(node["typical"]), secondsOf(node["longest"])};
      EraseCommand erase{byteOf(node["opcode"])};
      if (node.has("opcode4")) erase.opcode4 = byteOf(node["opcode4"]);
      if (std::any_of(g.erase.begin(), g.erase.end(), [&](const memory::EraseType& t) { return t.size == type.size; }))
        node["size"].fail("two erase commands for blocks of one size");
      g.erase.push_back(type);
      c.erase.push_back(erase);
    }
    if (g.size > kThreeByteReach)
      c.fourByte = root_.has("four_byte") ? fourByteOf(root_["four_byte"]) : FourByteEntry::Unknown;
    else if (root_.has("four_byte") && fourByteOf(root_["four_byte"]) == FourByteEntry::Always)
      c.fourByte = FourByteEntry::Always;
    for (const EraseCommand& erase : c.erase) {
      if (c.fourByte == FourByteEntry::OwnCommands && erase.opcode4 == 0)
        root_["four_byte"].fail("\"own-commands\" needs \"opcode4\" for every erase command");
    }
    if (root_.has("regions")) regions(g);
    if (root_.has("ready")) {
      const JsonNode node = root_["ready"].object();
      c.ready = {byteOf(node["command"]), byteOf(node["mask"]), byteOf(node["value"])};
    }
    if (root_.has("times_assumed")) g.timesAssumed = root_["times_assumed"].boolean();
    try {
      checkDescription(g, c, "the card");
    } catch (const Error& e) {
      root_.fail(e.what());
    }
  }

  void regions(memory::Geometry& g) {
    for (const JsonNode& node : root_["regions"].elements()) {
      memory::EraseRegion region{node["from"].number(), 0};
      for (const JsonNode& size : node["erase"].elements()) {
        const std::uint64_t wanted = size.number();
        const auto type =
            std::find_if(g.erase.begin(), g.erase.end(), [&](const memory::EraseType& t) { return t.size == wanted; });
        if (type == g.erase.end()) size.fail("\"erase\" has no command for blocks of this size");
        if (type - g.erase.begin() < 16) region.types |= 1u << (type - g.erase.begin());
      }
      g.regions.push_back(region);
    }
  }

  void registers() {
    for (const JsonNode& node : root_["registers"].elements()) {
      FlashRegister r;
      r.name = node["name"].string();
      r.read = byteOf(node["read"]);
      if (node.has("write")) r.write = byteOf(node["write"]);
      if (node.has("enable")) r.enable = byteOf(node["enable"]);
      if (node.has("together")) {
        for (const JsonNode& other : node["together"].elements()) r.together.push_back(other.string());
        if (std::find(r.together.begin(), r.together.end(), r.name) == r.together.end())
          node["together"].fail("has to have the register itself");
      }
      if (node.has("bits")) bits(r, node["bits"]);
      if (std::any_of(card_.registers.begin(), card_.registers.end(), [&](const auto& o) { return o.name == r.name; }))
        node["name"].fail("two registers of one name");
      card_.registers.push_back(std::move(r));
    }
    for (const FlashRegister& r : card_.registers) {
      for (const std::string& name : r.together) {
        if (std::none_of(card_.registers.begin(), card_.registers.end(), [&](const auto& o) { return o.name == name; }))
          root_["registers"].fail(fmt::format("\"together\" of {} names \"{}\", which is no register", r.name, name));
      }
    }
  }

  static void bits(FlashRegister& r, const JsonNode& list) {
    std::uint8_t taken = 0;
    for (const JsonNode& node : list.elements()) {
      memory::RegisterBits b;
      std::tie(b.high, b.low) = bitsOf(node["bits"]);
      b.name = node["name"].string();
      if (node.has("what")) b.what = node["what"].string();
      if (node.has("read_only")) b.readOnly = node["read_only"].boolean();
      if (node.has("once")) b.once = node["once"].boolean();
      if ((taken & b.mask()) != 0) node["bits"].fail("another name has one of these bits already");
      taken |= b.mask();
      r.bits.push_back(std::move(b));
    }
  }

  void protection(const JsonNode& node) {
    memory::Protection p;
    p.inRegister = node["register"].string();
    if (std::none_of(card_.registers.begin(), card_.registers.end(),
                     [&](const auto& r) { return r.name == p.inRegister; }))
      node["register"].fail("\"registers\" has no register of this name");
    std::tie(p.high, p.low) = bitsOf(node["bits"]);
    for (const JsonNode& entry : node["levels"].elements()) {
      memory::Protection::Level level{byteOf(entry["value"], "should be the value of these bits"), {}};
      if (level.value > p.bits().of(0xFF)) entry["value"].fail("does not fit into these bits");
      if (p.levelOf(static_cast<std::uint8_t>(level.value << p.low)) != nullptr) entry["value"].fail("is listed twice");
      for (const JsonNode& range : entry["ranges"].elements())
        level.ranges.push_back(rangeOf(range, card_.geometry.size));
      p.levels.push_back(std::move(level));
    }
    card_.protection = std::move(p);
  }

  void uniqueId(const JsonNode& node) {
    const std::uint64_t dummy = node["dummy"].number(), bytes = node["bytes"].number();
    if (dummy > 16) node["dummy"].fail("at most 16 bytes");
    if (bytes < 1 || bytes > 64) node["bytes"].fail("should be 1 to 64");
    card_.uniqueId =
        UniqueIdCommand{byteOf(node["command"]), static_cast<unsigned>(dummy), static_cast<unsigned>(bytes)};
  }

  const JsonNode& root_;
  PartCard card_;
};

}  // namespace

PartCard parsePartCard(std::string_view text, const std::string& fileName) {
  const JsonText json = JsonText::parse(text, fileName);
  const JsonNode root = JsonNode(json).object();
  return Reader(root).card();
}

PartCard readPartCard(const std::filesystem::path& path) {
  return parsePartCard(readTextFile(path, kCardFile), path.string());
}

}  // namespace imprimo::flash
