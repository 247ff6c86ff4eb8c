// SPDX-License-Identifier: GPL-3.0-or-later

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/base/json_layout.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"
#include "core/sheet/sheet.h"
#include "core/sheet/sheet_paths.h"

namespace imprimo::sheet {
namespace {

using Json = nlohmann::ordered_json;

bool means(const Json& object, const char* key, std::uint64_t value) {
  if (!object.is_object() || !object.contains(key)) return false;
  const Json& now = object[key];
  if (now.is_string()) return parseNumber(now.get_ref<const std::string&>()) == value;
  return now.is_number_unsigned() && now.get<std::uint64_t>() == value;
}

/// Sets an address as text, unless what stands there already means the same.
void setNumber(Json& object, const char* key, std::uint64_t value) {
  if (!means(object, key, value)) object[key] = hexAddress(value);
}

/// The same for a frequency, which people read in decimal.
void setPlainNumber(Json& object, const char* key, std::uint64_t value) {
  if (!means(object, key, value)) object[key] = value;
}

/// A device that got a description since it was read names its file, and no longer a length.
void describe(Json& entry, const Device& device) {
  if (!device.configCard.empty()) entry["configure"] = device.configCard;
  if (device.bsdlFile.empty() || (entry.contains("bsdl") && entry["bsdl"] == device.bsdlFile)) return;
  entry.erase("ir_length");
  entry.erase("assumed");
  entry["bsdl"] = device.bsdlFile;
}

/// Whether two ways to write an address or a pattern mean the same.
bool sameMeaning(const Json& entry, const char* key, const std::string& value) {
  if (!entry.contains(key) || !entry[key].is_string()) return false;
  const std::string& there = entry[key].get_ref<const std::string&>();
  if (there == value) return true;
  if (std::string_view(key) == "pattern") {
    const auto one = parsePattern(there), other = parsePattern(value);
    return one && other && *one == *other;
  }
  return value.starts_with("0x") && parseNumber(there) && parseNumber(there) == parseNumber(value);
}

/// Takes the entry of `old` that has these values, or an empty one, so that its other keys are kept.
Json takeMatching(Json& old, const std::vector<std::pair<const char*, std::string>>& values) {
  for (auto it = old.begin(); it != old.end(); ++it) {
    bool same = true;
    for (const auto& [key, value] : values) same = same && sameMeaning(*it, key, value);
    if (!same) continue;
    Json found = *it;
    old.erase(it);
    return found;
  }
  Json fresh = Json::object();
  for (const auto& [key, value] : values) fresh[key] = value;
  return fresh;
}

Json takeList(Json& root, const char* key) {
  return root.contains(key) ? root[key] : Json::array();
}

void setList(Json& root, const char* key, Json list) {
  if (!list.empty() || root.contains(key)) root[key] = std::move(list);
}

/// Sets what is there, in the user's own writing where it says the same, and takes out what is not.
template <typename Value>
void setOrErase(Json& entry, const char* key, bool present, Value&& value) {
  if (!present) {
    // What says in words that there is nothing is as good.
    const bool saysSo = entry.contains(key) && (entry[key] == false || entry[key] == "high-first");
    if (!saysSo) entry.erase(key);
  } else if constexpr (std::is_integral_v<std::decay_t<Value>> && !std::is_same_v<std::decay_t<Value>, bool>) {
    setNumber(entry, key, value);
  } else {
    entry[key] = std::forward<Value>(value);
  }
}

void setBoundary(Json& entry, const char* key, const std::optional<Boundary>& boundary) {
  if (boundary == kEraseBlock) {
    entry[key] = "block";
  } else {
    setOrErase(entry, key, boundary.has_value(), boundary.value_or(0));
  }
}

void setBits(Json& entry, bool reversed) {
  if (reversed) {
    entry["bits"] = "reversed";
  } else if (entry.contains("bits")) {
    entry["bits"] = "normal";
  }
}

std::string cutText(const AddressRange& cut) {
  return cut.end == UINT64_MAX ? hexAddress(cut.begin) + ".." : hexAddress(cut.begin) + ".." + hexAddress(cut.end - 1);
}

Json placements(const Sheet& sheet, Json old) {
  Json list = Json::array();
  for (const Placement& p : sheet.placements) {
    const std::pair<const char*, std::string> what =
        p.pattern ? std::pair{"pattern", patternText(*p.pattern)} : std::pair{"file", p.file};
    Json entry = takeMatching(old, {{"memory", p.memory}, what});
    setOrErase(entry, "at", p.at.has_value(), p.at.value_or(0));
    setBits(entry, p.reversed);
    setOrErase(entry, "format", p.format.has_value(), p.format ? shortNameOf(*p.format) : "");
    setOrErase(entry, "wrapper", !p.wrapper.empty(), p.wrapper);
    if (!p.cut) {
      entry.erase("cut");
    } else if (!entry.contains("cut") || !entry["cut"].is_string() ||
               parseCut(entry["cut"].get<std::string>()) != p.cut) {
      entry["cut"] = cutText(*p.cut);
    }
    if (p.swap > 1) {
      setPlainNumber(entry, "swap", std::uint64_t{p.swap} * 8);
    } else {
      entry.erase("swap");
    }
    setOrErase(entry, "after", p.after, true);
    setBoundary(entry, "align", p.align);
    setBoundary(entry, "pad", p.pad);
    list.push_back(std::move(entry));
  }
  return list;
}

Json configurations(const Sheet& sheet, Json old) {
  Json list = Json::array();
  for (const Configuration& c : sheet.configurations) {
    Json entry = takeMatching(old, {{"device", c.device}});
    entry["file"] = c.file.file;
    setOrErase(entry, "wrapper", !c.file.wrapper.empty(), c.file.wrapper);
    setBits(entry, c.file.reversed);
    list.push_back(std::move(entry));
  }
  return list;
}

Json sums(const Sheet& sheet, Json old) {
  Json list = Json::array();
  for (const SumPlacement& s : sheet.sums) {
    Json entry = takeMatching(old, {{"memory", s.memory}, {"kind", s.kind}});
    setNumber(entry, "from", s.range.begin);
    setNumber(entry, "to", s.range.end - 1);
    setNumber(entry, "at", s.at);
    setOrErase(entry, "bytes", s.lowFirst, "low-first");
    list.push_back(std::move(entry));
  }
  return list;
}

Json edits(const Sheet& sheet, Json old) {
  Json list = Json::array();
  for (const Edit& e : sheet.edits) {
    Json entry = takeMatching(old, {{"memory", e.memory}, {"at", hexAddress(e.at)}});
    setNumber(entry, "at", e.at);
    if (parseByteDigits(entry.value("bytes", "")) != e.bytes) entry["bytes"] = digitsOf(e.bytes);
    list.push_back(std::move(entry));
  }
  return list;
}

Json eraseList(const Sheet& sheet, Json old) {
  Json list = Json::array();
  for (const EraseRange& r : sheet.erase) {
    Json entry = takeMatching(old, {{"memory", r.memory}, {"from", hexAddress(r.range.begin)}});
    setNumber(entry, "from", r.range.begin);
    setNumber(entry, "to", r.range.end - 1);
    list.push_back(std::move(entry));
  }
  return list;
}

Json coreWords(const CoreEntry& core, Json old) {
  Json list = Json::array();
  for (const WordWish& wish : core.words) {
    Json entry = wish.field ? takeMatching(old, {{"word", wish.word}, {"field", *wish.field}})
                            : takeMatching(old, {{"word", wish.word}});
    setOrErase(entry, "field", wish.field.has_value(), wish.field.value_or(""));
    setNumber(entry, "value", wish.value);
    setOrErase(entry, "permanent", wish.permanent, true);
    list.push_back(std::move(entry));
  }
  return list;
}

Json bookmarks(const Sheet& sheet, Json old) {
  Json list = Json::array();
  for (const Bookmark& b : sheet.bookmarks) {
    Json entry = takeMatching(old, {{"memory", b.memory}, {"name", b.name}});
    setNumber(entry, "at", b.at);
    if (b.expect) entry["expect"] = *b.expect;
    list.push_back(std::move(entry));
  }
  return list;
}

Json pins(const Sheet& sheet, Json old) {
  Json list = Json::array();
  for (const PinLabel& label : sheet.pins) {
    Json entry = takeMatching(old, {{"device", label.device}, {"port", label.port}});
    setOrErase(entry, "name", !label.name.empty(), label.name);
    if (label.level) {
      setPlainNumber(entry, "level", *label.level ? 1 : 0);
    } else {
      entry.erase("level");
    }
    list.push_back(std::move(entry));
  }
  return list;
}

}  // namespace

Json sheetJson(const Sheet& sheet) {
  Json root = sheet.source ? *sheet.source : Json::object({{"imprimo", 1}});
  if (!sheet.title.empty() || root.contains("title")) root["title"] = sheet.title;
  if (sheet.clockHz) setPlainNumber(root["probe"], "clock", *sheet.clockHz);
  if (root.contains("chain")) {
    Json& chain = root["chain"];
    for (std::size_t i = 0; i < chain.size() && i < sheet.chain.size(); ++i) describe(chain[i], sheet.chain[i]);
  }
  setList(root, "placements", placements(sheet, takeList(root, "placements")));
  setList(root, "configurations", configurations(sheet, takeList(root, "configurations")));
  setList(root, "sums", sums(sheet, takeList(root, "sums")));
  setList(root, "edits", edits(sheet, takeList(root, "edits")));
  setList(root, "erase", eraseList(sheet, takeList(root, "erase")));
  setList(root, "bookmarks", bookmarks(sheet, takeList(root, "bookmarks")));
  setList(root, "pins", pins(sheet, takeList(root, "pins")));
  if (root.contains("cores")) {
    Json& cores = root["cores"];
    for (std::size_t i = 0; i < cores.size() && i < sheet.cores.size(); ++i) {
      Json words = coreWords(sheet.cores[i], takeList(cores[i], "words"));
      if (!words.empty()) cores[i]["words"] = std::move(words);
    }
  }
  for (const MemoryEntry& entry : sheet.memories) {
    if (!root.contains("memories")) continue;
    for (Json& memory : root["memories"]) {
      if (memory["name"] != entry.name) continue;
      if (!entry.lastSeen.empty()) memory["last_seen"] = Json::parse(entry.lastSeen);
      if (entry.partCard) memory["part"] = *entry.partCard;
      if (entry.clockHz) setPlainNumber(memory, "clock", *entry.clockHz);
      const std::string sync = memory.value("sync", "");
      if (entry.sync != parseByteDigits(sync).value_or(Bytes{})) {
        setOrErase(memory, "sync", !entry.sync.empty(), digitsOf(entry.sync));
      }
    }
  }
  return root;
}

std::string sheetText(const Sheet& sheet) {
  const Json root = sheetJson(sheet);
  return sheet.layout ? inLayoutOf(*sheet.layout, root) : root.dump(2) + "\n";
}

void saveSheet(const Sheet& sheet) {
  writeFileAtomically(sheet.path, sheetText(sheet));
}

Sheet movedTo(Sheet sheet, const std::filesystem::path& path) {
  namespace fs = std::filesystem;
  const fs::path from = fs::absolute(sheet.folder()).lexically_normal();
  const fs::path to = fs::absolute(path).lexically_normal().parent_path();
  if (from == to) {
    sheet.path = path;
    return sheet;
  }
  Json root = sheetJson(sheet);
  forEachPath(root, from, [&](std::string& file, const std::string&, bool isPath) {
    if (isPath && !fs::path(file).is_absolute())
      file = (from / file).lexically_normal().lexically_relative(to).string();
  });
  return parseSheet(sheet.layout ? inLayoutOf(*sheet.layout, root) : root.dump(2) + "\n", path, &sheet);
}

std::string sheetTextFor(const std::string& title, const std::vector<FoundForSheet>& devices) {
  Json root = {{"imprimo", 1}, {"title", title}};
  Json chain = Json::array();
  for (const FoundForSheet& device : devices) {
    Json entry = {{"name", device.name}};
    if (!device.bsdl.empty()) {
      entry["bsdl"] = device.bsdl;
    } else {
      entry["ir_length"] = device.irLength;
      if (device.lengthAssumed) entry["assumed"] = true;
    }
    if (device.idcode) {
      entry["idcode"] = hexIdcode(*device.idcode);
      entry["mask"] = hexIdcode(device.mask.value_or(UINT32_MAX));
    }
    chain.push_back(std::move(entry));
  }
  root["chain"] = std::move(chain);
  return root.dump(2) + "\n";
}

std::string sheetTextForChip(const std::string& title, const ChipForSheet& chip) {
  Json core = {{"name", "core"}, {"port", "swd"}};
  if (chip.card.empty()) {
    core["chip"] = {{"pack", chip.pack}, {"name", chip.name}};
  } else {
    core["card"] = chip.card;
    if (chip.ap > 0xFF) {
      core["ap"] = hexAddress(chip.ap);
    } else if (chip.ap != 0) {
      core["ap"] = chip.ap;
    }
  }
  if (chip.target) core["target"] = hexIdcode(*chip.target);
  Json memories = Json::array();
  for (const ChipForSheet::Region& region : chip.regions)
    memories.push_back({{"name", region.name},
                        {"type", region.flash ? "core-flash" : "ram"},
                        {"route", {{"via", "core"}, {"core", "core"}, {"region", region.name}}}});
  const Json root = {{"imprimo", 1},
                     {"title", title},
                     {"cores", Json::array({std::move(core)})},
                     {"memories", std::move(memories)},
                     {"after", Json::array({"restart"})}};
  return root.dump(2) + "\n";
}

}  // namespace imprimo::sheet
