// SPDX-License-Identifier: GPL-3.0-or-later
//
// docs/formats/unfinished.md
#include "core/run/run_notes.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>
#include <zlib.h>

#include <algorithm>
#include <fstream>
#include <sstream>
#include <system_error>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/base/number.h"

namespace imprimo::run {
namespace fs = std::filesystem;

namespace {

using Json = nlohmann::ordered_json;

Json rangesJson(const std::vector<AddressRange>& ranges) {
  Json list = Json::array();
  for (const AddressRange& r : ranges) list.push_back({{"from", hexAddress(r.begin)}, {"to", hexAddress(r.end - 1)}});
  return list;
}

AddressRange rangeOf(const JsonNode& node, std::uint64_t size) {
  const std::uint64_t from = node["from"].number(), to = node["to"].number();
  // Addresses are the memory's own; one of a core's begins anywhere.
  if (from > to || to - from >= size || to == UINT64_MAX) node.fail("is no range of a part of this size");
  return {from, to + 1};
}

std::vector<AddressRange> rangesOf(const JsonNode& list, std::uint64_t size) {
  std::vector<AddressRange> ranges;
  for (const JsonNode& node : list.elements()) ranges.push_back(rangeOf(node, size));
  return ranges;
}

std::uint8_t byteOf(const JsonNode& node) {
  const std::uint64_t value = node.number();
  if (value > 0xFF) node.fail("should be a byte");
  return static_cast<std::uint8_t>(value);
}

}  // namespace

std::uint32_t crc32Of(ByteSpan bytes) {
  return static_cast<std::uint32_t>(::crc32(0, bytes.data(), static_cast<uInt>(bytes.size())));
}

namespace {

/// "PID-START": when it started, in clock ticks since the computer did (proc(5), stat, field 22).
std::optional<std::string> processNumbered(const std::string& pid) {
  std::ifstream file("/proc/" + pid + "/stat");
  std::string text;
  std::getline(file, text);
  // The name in brackets may hold anything.
  const std::size_t name = text.rfind(')');
  if (name == std::string::npos) return std::nullopt;
  std::istringstream rest(text.substr(name + 1));
  std::string field;
  for (int i = 3; i <= 22; ++i) rest >> field;
  return rest ? std::optional(pid + "-" + field) : std::nullopt;
}

}  // namespace

std::string thisProcess() {
  return processNumbered(std::to_string(::getpid())).value_or("");
}

bool stillRuns(const std::string& process) {
  const std::string pid = process.substr(0, process.find('-'));
  if (pid.empty() || pid.find_first_not_of("0123456789") != std::string::npos) return false;
  return processNumbered(pid) == process;
}

UnfinishedWork::UnfinishedWork(const std::string& what)
    : Error(ErrorKind::Refused, what + "; whether this is the board that it was on cannot be known",
            "If it is, let the run finish that first; if it is another one, let it be forgotten.") {}

std::string noteText(const RunNote& note) {
  Json json = {{"imprimo_unfinished", 1},  {"begun", note.begun},          {"memory", note.of.memory},
               {"sheet", note.of.sheet},   {"sheet_file", note.sheetFile}, {"process", note.process},
               {"part", note.of.identity}, {"bank", note.of.bank},         {"size", hexAddress(note.of.size)}};
  if (!note.of.uniqueId.empty()) json["unique_id"] = note.of.uniqueId;
  json["blocks"] = rangesJson(note.blocks);
  json["others"] = rangesJson(note.others);
  if (!note.kept.empty()) json["kept"] = rangesJson(note.kept);
  if (note.pattern) json["pattern"] = true;
  if (!note.copy.empty()) json["copy"] = note.copy;
  for (const RunNote::Witness& w : note.witnesses) {
    json["witnesses"].push_back({{"from", hexAddress(w.range.begin)},
                                 {"to", hexAddress(w.range.end - 1)},
                                 {"crc32", fmt::format("0x{:08x}", w.crc)}});
  }
  if (note.protection)
    json["protection"] = {{"register", note.protection->first}, {"value", hexByte(note.protection->second)}};
  if (!note.modes.empty()) json["modes"] = Json::parse(note.modes);
  if (note.unit != 0) json["unit"] = {{"ledger", note.ledger}, {"id", note.unit}};
  return json.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

RunNote parseNote(std::string_view text, const std::string& fileName) {
  const JsonText json = JsonText::parse(text, fileName);
  const JsonNode root = JsonNode(json).object();
  if (root["imprimo_unfinished"].number() != 1)
    root["imprimo_unfinished"].fail("this version reads notes of version 1");
  RunNote note;
  note.path = fileName;
  note.begun = root["begun"].string();
  note.of.memory = root["memory"].string();
  note.of.sheet = root["sheet"].string();
  note.sheetFile = root["sheet_file"].string();
  note.process = root["process"].string();
  note.of.identity = root["part"].string();
  note.of.bank = static_cast<unsigned>(root["bank"].number());
  note.of.size = root["size"].number();
  if (root.has("unique_id")) note.of.uniqueId = root["unique_id"].string();
  note.blocks = rangesOf(root["blocks"], note.of.size);
  note.others = rangesOf(root["others"], note.of.size);
  if (root.has("kept")) note.kept = rangesOf(root["kept"], note.of.size);
  if (root.has("pattern")) note.pattern = root["pattern"].boolean();
  if (root.has("copy")) note.copy = root["copy"].string();
  if (root.has("witnesses")) {
    for (const JsonNode& node : root["witnesses"].elements()) {
      const std::uint64_t crc = node["crc32"].number();
      if (crc > UINT32_MAX) node["crc32"].fail("should have 32 bits");
      note.witnesses.push_back({rangeOf(node, note.of.size), static_cast<std::uint32_t>(crc)});
    }
  }
  if (root.has("protection")) {
    const JsonNode node = root["protection"].object();
    note.protection = {node["register"].string(), byteOf(node["value"])};
  }
  if (root.has("modes")) note.modes = root["modes"].object().dump();
  if (root.has("unit")) {
    note.ledger = root["unit"]["ledger"].string();
    note.unit = root["unit"]["id"].number();
  }
  return note;
}

}  // namespace imprimo::run
