// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/kept_record.h"

#include <fmt/format.h>
#include <pwd.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <ctime>
#include <string_view>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/base/version.h"
#include "core/image/checksum.h"
#include "records/ledger.h"

namespace imprimo::records {
namespace {

using Json = nlohmann::ordered_json;

int zoneNow() {
  const std::time_t now = std::time(nullptr);
  std::tm local{};
  constexpr int kSecondsOfMinute = 60;
  return ::localtime_r(&now, &local) == nullptr ? 0 : static_cast<int>(local.tm_gmtoff / kSecondsOfMinute);
}

std::string stringOf(const JsonNode& node, const char* key) {
  return node.has(key) && node[key].isText() ? node[key].string() : std::string();
}

/// UUIDs are made of 16 bytes; those of content say so by their first ones.
std::string idOfContent(const std::string& text) {
  const Bytes hash =
      checksumOf(*checksumNamed("sha256"), ByteSpan(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()));
  return "file-" + digitsOf(ByteSpan(hash).first(16));
}

std::string failedStep(const JsonNode& root) {
  if (isGood(stringOf(root, "result")) || !root.has("steps")) return {};
  std::string last;
  for (const JsonNode& step : root["steps"].elements()) {
    last = stringOf(step, "title");
    if (step.has("finished") && !step["finished"].boolean()) return last;
  }
  return last;
}

std::string targetOf(const JsonNode& root) {
  const std::string memory = stringOf(root, "memory");
  return memory.empty() ? stringOf(root, "device") : memory;
}

void addUnit(const JsonNode& root, KeptRecord& record) {
  if (!root.has("unit")) return;
  const JsonNode unit = root["unit"];
  record.ledger = stringOf(unit, "ledger");
  record.unit = unit["id"].number();
  if (!unit.has("fields")) return;
  for (const std::string& key : unit["fields"].keys()) record.values.push_back(stringOf(unit["fields"], key.c_str()));
}

}  // namespace

std::string personName() {
  const passwd* entry = ::getpwuid(::getuid());
  return entry != nullptr && entry->pw_name != nullptr ? entry->pw_name : std::to_string(::getuid());
}

bool isGood(const std::string& result) {
  static constexpr std::array<std::string_view, 6> kBad{"mismatch", "not-blank", "not-sound",
                                                        "refused",  "stopped",   "failed"};
  return std::find(kBad.begin(), kBad.end(), result) == kBad.end();
}

KeptRecord keptFrom(const std::string& text, const std::string& name) {
  const JsonText json = JsonText::parse(text, name);
  const JsonNode root = JsonNode(json).object();
  if (root["imprimo_record"].number() != 1) root["imprimo_record"].fail("this version reads records of version 1");
  KeptRecord record;
  record.text = text;
  record.id = stringOf(root, "id");
  if (record.id.empty()) record.id = idOfContent(text);
  record.started = root["started"].string();
  if (root.has("zone")) record.zone = static_cast<int>(root["zone"].real());
  if (root.has("seconds")) record.seconds = root["seconds"].real();
  record.station = stringOf(root, "station");
  record.person = stringOf(root, "person");
  record.sheet = stringOf(root, "sheet");
  record.title = stringOf(root, "title");
  record.target = targetOf(root);
  record.result = root["result"].string();
  record.good = isGood(record.result);
  record.step = failedStep(root);
  if (root.has("bytes")) record.bytes = root["bytes"].number();
  record.message = stringOf(root, "message");
  addUnit(root, record);
  return record;
}

KeptRecord keptNow(const run::Record& record) {
  Json json = Json::parse(record.text());
  json["id"] = freshRunName();
  json["station"] = stationName();
  json["person"] = personName();
  json["zone"] = zoneNow();
  json["version"] = versionText();
  return keptFrom(json.dump(1, ' ', false, Json::error_handler_t::replace) + "\n", "record");
}

}  // namespace imprimo::records
