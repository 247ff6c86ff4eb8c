// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/base/input_file.h"
#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"
#include "core/sheet/core_reader.h"
#include "core/sheet/memory_types.h"
#include "core/sheet/route_kinds.h"
#include "core/sheet/sheet.h"
#include "core/sheet/sheet_keys.h"
#include "core/units/definition_reader.h"

namespace imprimo::sheet {
namespace {

class Reader {
 public:
  Reader(const JsonText& json, const std::filesystem::path& path, const Sheet* known) : root_(json), known_(known) {
    sheet_.path = path;
  }

  Sheet read() {
    root_.object();
    const JsonNode version = root_["imprimo"];
    if (version.number() != 1) version.fail("this program reads job sheets of version 1");
    note(root_, "");
    if (root_.has("title")) sheet_.title = root_["title"].string();
    if (root_.has("probe")) probe(root_["probe"]);
    // A board with nothing but cores on SWD has no chain.
    if (root_.has("chain") || !root_.has("cores")) {
      for (const JsonNode& node : root_["chain"].elements()) device(node.object());
    }
    forEach("cores", [this](const JsonNode& node) { core(node); });
    forEach("memories", [this](const JsonNode& node) { memory(node); });
    forEach("placements", [this](const JsonNode& node) { placement(node); });
    forEach("configurations", [this](const JsonNode& node) { configuration(node); });
    forEach("sums", [this](const JsonNode& node) { sum(node); });
    forEach("keep", [this](const JsonNode& node) { keep(node); });
    forEach("edits", [this](const JsonNode& node) {
      note(node, "edits[]");
      const auto bytes = parseByteDigits(node["bytes"].string());
      if (!bytes || bytes->empty()) node["bytes"].fail("should be bytes in digits, like \"12 A5\"");
      sheet_.edits.push_back({memoryName(node["memory"]), node["at"].number(), *bytes});
      if (sheet_.edits.back().at > UINT64_MAX - bytes->size()) node["at"].fail("runs past all addresses");
    });
    forEach("erase", [this](const JsonNode& node) {
      note(node, "erase[]");
      sheet_.erase.push_back({memoryName(node["memory"]), bothEnds(node)});
    });
    forEach("bookmarks", [this](const JsonNode& node) { bookmark(node); });
    forEach("pins", [this](const JsonNode& node) {
      note(node, "pins[]");
      const Device& device = sheet_.chain.at(devicePosition(node["device"]) - 1);
      sheet_.pins.push_back(readPinLabel(node, device.name));
      warn(portTrouble(node["port"], device));
    });
    if (root_.has("units")) units(root_["units"]);
    if (root_.has("after")) after(root_["after"]);
    return std::move(sheet_);
  }

 private:
  template <typename Take>
  void forEach(const char* key, Take&& take) {
    if (!root_.has(key)) return;
    for (const JsonNode& node : root_[key].elements()) take(node.object());
  }

  void noteOthers(const JsonNode& node, const std::set<std::string>& known) {
    for (const std::string& path : node.unknownKeys(known)) {
      sheet_.warnings.push_back(
          fmt::format("{}: {}: this key is not known here; it is kept", sheet_.path.string(), path));
    }
  }

  /// `place`: as keysAt() has it.
  void note(const JsonNode& node, std::string_view place) { noteOthers(node, keyNames(place)); }

  void warn(const std::string& trouble) {
    if (!trouble.empty()) sheet_.warnings.push_back(trouble);
  }

  void probe(const JsonNode& node) {
    note(node.object(), "probe");
    sheet_.clockHz = clock(node);
    if (!node.has("wait")) return;
    const std::uint64_t wait = node["wait"].number();
    if (wait > 3600) node["wait"].fail("should be 0 to 3600 seconds");
    if (wait > 0) sheet_.waitSeconds = static_cast<std::uint32_t>(wait);
  }

  static std::optional<std::uint32_t> clock(const JsonNode& node) {
    if (!node.has("clock")) return std::nullopt;
    const std::uint64_t hz = node["clock"].number();
    if (hz == 0 || hz > 1'000'000'000) node["clock"].fail("should be a frequency in Hz");
    return static_cast<std::uint32_t>(hz);
  }

  void device(const JsonNode& node) {
    note(node, "chain[]");
    Device device;
    device.name = node["name"].string();
    if (position(device.name) != 0) node["name"].fail(fmt::format("there are two parts named {}", device.name));
    if (node.has("bsdl")) {
      device.bsdlFile = node["bsdl"].string();
      device.description = description(node["bsdl"]);
      device.irLength = device.description->instructionLength;
      device.idcodes = device.description->idcodes;
      if (!device.description->boundaryProblem.empty()) sheet_.warnings.push_back(device.description->boundaryProblem);
      if (node.has("ir_length")) node["ir_length"].fail("bsdl gives the length already: leave one of the two out");
    } else {
      const std::uint64_t length = node["ir_length"].number();
      if (length < 2 || length > 1024) node["ir_length"].fail("should be 2 to 1024");
      device.irLength = static_cast<std::uint32_t>(length);
      device.lengthAssumed = node.has("assumed") && node["assumed"].boolean();
    }
    if (node.has("configure")) {
      device.configCard = node["configure"].string();
      device.configCardFrom = {node["configure"].where()};
    }
    if (node.has("idcode")) {
      const std::uint64_t code = node["idcode"].number();
      if (code > UINT32_MAX) node["idcode"].fail("should have 32 bits");
      const std::uint64_t mask = node.has("mask") ? node["mask"].number() : UINT32_MAX;
      if (mask > UINT32_MAX) node["mask"].fail("should have 32 bits");
      if (bsdl::Pattern{0, static_cast<std::uint32_t>(mask)}.saysNothing()) {
        node["mask"].fail("fits every part: leave some bits of part number or maker in it, or leave idcode out");
      }
      device.idcodes = {{static_cast<std::uint32_t>(code & mask), static_cast<std::uint32_t>(mask)}};
    } else if (node.has("mask")) {
      node["mask"].fail("a mask needs an idcode");
    }
    sheet_.chain.push_back(std::move(device));
  }

  /// As it was read before, where the same file is meant.
  std::shared_ptr<const bsdl::BoundaryDescription> description(const JsonNode& node) const {
    const std::filesystem::path file = sheet_.folder() / node.string();
    const auto whole = [](const std::filesystem::path& path) {
      return std::filesystem::absolute(path).lexically_normal();
    };
    if (known_ != nullptr) {
      for (const Device& other : known_->chain) {
        if (other.description && whole(known_->folder() / other.bsdlFile) == whole(file)) return other.description;
      }
    }
    try {
      return readReferred({node.where()},
                          [&] { return std::make_shared<const bsdl::BoundaryDescription>(bsdl::parseFile(file)); });
    } catch (const Error& e) {
      throw BadReference(e, node.path());
    }
  }

  std::size_t position(const std::string& name) const {
    for (std::size_t i = 0; i < sheet_.chain.size(); ++i) {
      if (sheet_.chain[i].name == name) return i + 1;
    }
    return 0;
  }

  std::size_t devicePosition(const JsonNode& node) const {
    const std::size_t at = position(node.string());
    if (at == 0) node.fail(fmt::format("the chain has no part named {}", node.string()));
    return at;
  }

  void core(const JsonNode& node) {
    sheet_.cores.push_back(
        readCore({node, sheet_.cores, [this](const JsonNode& at, std::string_view place) { note(at, place); },
                  [this](const JsonNode& device) { return devicePosition(device); }}));
  }

  static std::string type(const JsonNode& node) {
    std::string known;
    for (const char* each : memoryTypes()) {
      if (node.string() == each) return each;
      known += fmt::format("{}\"{}\"", known.empty() ? "" : ", ", each);
    }
    node.fail("should be " + known);
  }

  void memory(const JsonNode& node) {
    note(node, "memories[]");
    MemoryEntry entry;
    entry.name = node["name"].string();
    for (const MemoryEntry& other : sheet_.memories) {
      if (other.name == entry.name) node["name"].fail(fmt::format("there are two memories named {}", entry.name));
    }
    entry.type = type(node["type"]);
    entry.clockHz = clock(node);
    if (node.has("part")) {
      entry.partCard = node["part"].string();
      entry.partCardFrom = {node["part"].where()};
    }
    if (node.has("sync")) {
      const auto sync = parseByteDigits(node["sync"].string());
      if (!sync) node["sync"].fail("should be bytes in digits, like \"9A 51 6C E1\"");
      entry.sync = *sync;
    }
    if (node.has("boot")) entry.boot = node["boot"].number();
    if (node.has("last_seen")) entry.lastSeen = node["last_seen"].object().dump();

    const JsonNode route = node["route"].object();
    entry.route = readRoute({route, sheet_.chain, sheet_.cores,
                             [&](const std::set<std::string>& keys) { noteOthers(route, keys); },
                             [this](const JsonNode& device) { return devicePosition(device); },
                             [this](const std::string& trouble) { warn(trouble); }});
    sheet_.memories.push_back(std::move(entry));
  }

  std::string memoryName(const JsonNode& node) const {
    std::string name = node.string();
    for (const MemoryEntry& entry : sheet_.memories) {
      if (entry.name == name) return name;
    }
    node.fail(fmt::format("the sheet has no memory named {}", name));
  }

  void placement(const JsonNode& node) {
    note(node, "placements[]");
    Placement placement;
    placement.memory = memoryName(node["memory"]);
    if (node.has("pattern")) {
      if (node.has("file")) node["pattern"].fail("stands instead of a file: leave one of the two out");
      placement.pattern = parsePattern(node["pattern"].string());
      if (!placement.pattern) node["pattern"].fail("should be like \"counting+4K\" or \"0xA5+4K\"");
    } else {
      placement.file = node["file"].string();
      placement.referredFrom = {node["file"].where()};
    }
    if (node.has("format")) {
      placement.format = formatNamed(node["format"].string());
      if (!placement.format) node["format"].fail("should be \"bin\", \"hex\", \"srec\" or \"elf\"");
    }
    if (node.has("wrapper")) placement.wrapper = node["wrapper"].string();
    if (node.has("cut")) {
      placement.cut = parseCut(node["cut"].string());
      if (!placement.cut) node["cut"].fail("should be \"A..B\" (both ends included), \"A+N\" or \"A..\"");
    }
    if (node.has("bits")) placement.reversed = node["bits"].choice("normal", "reversed");
    if (node.has("swap")) {
      const std::uint64_t bits = node["swap"].number();
      if (bits != 16 && bits != 32) node["swap"].fail("should be 16 or 32 bits");
      placement.swap = static_cast<unsigned>(bits / 8);
    }
    if (node.has("at")) placement.at = node["at"].number();
    if (node.has("after")) placement.after = node["after"].boolean();
    placement.align = boundary(node, "align");
    placement.pad = boundary(node, "pad");
    sheet_.placements.push_back(std::move(placement));
  }

  void configuration(const JsonNode& node) {
    note(node, "configurations[]");
    Configuration c;
    c.device = sheet_.chain[devicePosition(node["device"]) - 1].name;
    if (sheet_.configurationOf(c.device) != nullptr) node["device"].fail("has two files");
    c.file.file = node["file"].string();
    c.file.referredFrom = {node["file"].where()};
    if (node.has("wrapper")) c.file.wrapper = node["wrapper"].string();
    if (node.has("bits")) c.file.reversed = node["bits"].choice("normal", "reversed");
    sheet_.configurations.push_back(std::move(c));
  }

  static std::optional<Boundary> boundary(const JsonNode& node, const char* key) {
    if (!node.has(key)) return std::nullopt;
    const JsonNode value = node[key];
    if (value.isText() && value.string() == "block") return kEraseBlock;
    const std::uint64_t number = value.number();
    if (number == 0) value.fail("should be a number of bytes, or \"block\"");
    return number;
  }

  void sum(const JsonNode& node) {
    note(node, "sums[]");
    SumPlacement sum;
    sum.memory = memoryName(node["memory"]);
    sum.kind = node["kind"].string();
    if (!checksumNamed(sum.kind)) node["kind"].fail(fmt::format("there is no checksum named {}", sum.kind));
    sum.range = bothEnds(node);
    sum.at = node["at"].number();
    if (node.has("bytes")) sum.lowFirst = node["bytes"].choice("high-first", "low-first");
    sheet_.sums.push_back(std::move(sum));
  }

  static AddressRange bothEnds(const JsonNode& node) {
    const std::uint64_t from = node["from"].number();
    const std::uint64_t to = node["to"].number();
    if (to < from || to == UINT64_MAX) node["to"].fail("ends before it begins (both ends belong to the range)");
    return {from, to + 1};
  }

  void keep(const JsonNode& node) {
    note(node, "keep[]");
    sheet_.keep.push_back({memoryName(node["memory"]), bothEnds(node)});
  }

  void bookmark(const JsonNode& node) {
    note(node, "bookmarks[]");
    Bookmark mark{memoryName(node["memory"]), node["at"].number(), node["name"].string(), std::nullopt};
    if (node.has("expect")) {
      mark.expect = node["expect"].string();
      if (mark.expected().empty()) node["expect"].fail("should be bytes in digits, \"12 A5\", or \"text:WORDS\"");
      if (mark.expected().size() > 4096) node["expect"].fail("at most 4096 bytes");
    }
    sheet_.bookmarks.push_back(std::move(mark));
  }

  void units(const JsonNode& node) {
    const auto core = [this](const JsonNode& name) {
      for (const CoreEntry& entry : sheet_.cores) {
        if (entry.name == name.string()) return entry.name;
      }
      name.fail(fmt::format("the sheet has no core named {}", name.string()));
    };
    sheet_.units = std::make_shared<const units::Definition>(
        units::readDefinition(node, {[this](const JsonNode& at, std::string_view place) { note(at, place); },
                                     [this](const JsonNode& name) { return memoryName(name); }, core}));
    for (std::size_t i = 0; i < sheet_.units->fields.size(); ++i) requireFree(node["fields"].elements()[i], i);
  }

  /// A unit's bytes stand where nothing else is planned or kept.
  void requireFree(const JsonNode& node, std::size_t index) const {
    const units::Field& field = sheet_.units->fields[index];
    for (const Keep& kept : sheet_.keep) {
      if (kept.memory == field.memory && kept.range.overlaps(field.range()))
        node["at"].fail(fmt::format("lies in the kept range {}", rangeText(kept.range)));
    }
    for (const Edit& edit : sheet_.edits) {
      if (edit.memory == field.memory && field.range().overlaps({edit.at, edit.at + edit.bytes.size()}))
        node["at"].fail(fmt::format("overlaps the bytes typed at {}", hexAddress(edit.at)));
    }
  }

  void after(const JsonNode& node) {
    for (const JsonNode& what : node.elements()) {
      if (what.string() != "restart") what.fail("should be \"restart\"");
      sheet_.restartAfter = true;
    }
  }

  JsonNode root_;
  const Sheet* known_;
  Sheet sheet_;
};

}  // namespace

Sheet parseSheet(std::string_view text, const std::filesystem::path& path, const Sheet* known) {
  const JsonText json = JsonText::parse(text, path.string());
  Sheet sheet = Reader(json, path, known).read();
  sheet.source = json.root;
  sheet.layout = std::make_shared<const std::string>(text);
  return sheet;
}

Sheet readSheet(const std::filesystem::path& path) {
  return parseSheet(readTextFile(path, kSheetFile), path);
}

}  // namespace imprimo::sheet
