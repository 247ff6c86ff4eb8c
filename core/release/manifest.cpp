// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/release/manifest.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/base/json.h"
#include "core/base/json_text.h"

namespace imprimo::release {
namespace {

using Json = nlohmann::ordered_json;

bool staysInside(const std::string& name) {
  const std::filesystem::path path(name);
  return !name.empty() && path.is_relative() && name.find('\\') == std::string::npos &&
         std::none_of(path.begin(), path.end(),
                      [](const auto& each) { return each.empty() || each == ".." || each == "."; });
}

LineRules rulesFrom(const JsonNode& node) {
  node.onlyKnown({"start", "sign_on", "units", "good", "failed"});
  LineRules rules;
  rules.startsByItself = node["start"].choice("by-key", "by-itself");
  rules.signOn = node.has("sign_on") && node["sign_on"].boolean();
  if (node.has("units")) rules.units = node["units"].number();
  if (node.has("good")) rules.afterGood = node["good"].string();
  if (node.has("failed")) rules.afterFailed = node["failed"].string();
  return rules;
}

}  // namespace

std::string manifestText(const Manifest& manifest) {
  Json line = {{"start", manifest.line.startsByItself ? "by-itself" : "by-key"}};
  if (manifest.line.signOn) line["sign_on"] = true;
  if (manifest.line.units) line["units"] = *manifest.line.units;
  if (!manifest.line.afterGood.empty()) line["good"] = manifest.line.afterGood;
  if (!manifest.line.afterFailed.empty()) line["failed"] = manifest.line.afterFailed;
  Json parts = Json::array();
  for (const Manifest::Part& part : manifest.parts)
    parts.push_back({{"name", part.name}, {"bytes", part.bytes}, {"sha256", part.sha256}});
  return Json{{"number", manifest.number},     {"title", manifest.title}, {"made", manifest.made},
              {"software", manifest.software}, {"sheet", manifest.sheet}, {"line", std::move(line)},
              {"parts", std::move(parts)}}
             .dump(2, ' ', false, Json::error_handler_t::replace) +
         "\n";
}

Manifest parseManifest(std::string_view text, const std::string& fileName) {
  const JsonText json = JsonText::parse(text, fileName);
  const JsonNode root(json);
  root.onlyKnown({"number", "title", "made", "software", "sheet", "line", "parts"});
  Manifest manifest;
  manifest.number = root["number"].number();
  manifest.title = root["title"].string();
  manifest.made = root["made"].string();
  manifest.software = root["software"].string();
  manifest.sheet = root["sheet"].string();
  manifest.line = rulesFrom(root["line"]);
  std::set<std::string> names;
  for (const JsonNode& node : root["parts"].elements()) {
    node.onlyKnown({"name", "bytes", "sha256"});
    Manifest::Part part{node["name"].string(), node["bytes"].number(), node["sha256"].string()};
    if (!staysInside(part.name)) node["name"].fail("is no name of a file in a folder");
    if (!names.insert(part.name).second) node["name"].fail("is that of another part");
    manifest.parts.push_back(std::move(part));
  }
  if (!names.contains(manifest.sheet)) root["sheet"].fail("is none of the parts");
  return manifest;
}

}  // namespace imprimo::release
