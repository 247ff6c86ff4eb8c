// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/definition.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "core/base/json.h"

namespace imprimo::units {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::array<std::pair<Form, const char*>, 7> kForms{{{Form::Integer, "integer"},
                                                              {Form::Decimal, "decimal"},
                                                              {Form::Hex, "hex"},
                                                              {Form::Mac, "mac"},
                                                              {Form::Uuid, "uuid"},
                                                              {Form::Text, "text"},
                                                              {Form::Bytes, "bytes"}}};

Json sourceJson(const Source& source) {
  switch (source.kind) {
    case Source::Count:
      return {{"count", source.first}, {"to", source.last}, {"step", source.step}};
    case Source::Random:
      return {{"random", true}};
    case Source::Derived:
      return {{"derived", source.file}, {"of", source.of}};
    case Source::List:
      return {{"list", source.file}, {"column", source.column}};
    case Source::Text:
      return {{"text", source.text}};
    case Source::UniqueId:
      return {{"unique_id", true}};
    case Source::Given:
      return {{"given", true}, {"pattern", source.text}};
    case Source::Date:
      return {{"date", source.text}};
    case Source::Checksum:
      return {{"checksum", source.sum}, {"over", source.over}};
  }
  return {};
}

Json fieldJson(const Field& field) {
  Json json = {{"name", field.name}};
  if (field.memory.empty()) {
    json["core"] = field.core;
    json["word"] = field.word;
    if (!field.wordField.empty()) json["field"] = field.wordField;
  } else {
    json["memory"] = field.memory;
    json["at"] = field.at;
  }
  json["bytes"] = field.bytes;
  json["as"] = nameOf(field.form);
  if (field.form == Form::Integer) json["order"] = field.lowFirst ? "low-first" : "high-first";
  if (field.form == Form::Text) json["fill"] = field.fill;
  if (field.secret) json["secret"] = true;
  json["from"] = sourceJson(field.source);
  return json;
}

std::string valueOf(const Json& object, const std::string& key) {
  return object.contains(key) ? object[key].dump() : "nothing";
}

}  // namespace

const Field* Definition::field(const std::string& name) const {
  const auto found = std::find_if(fields.begin(), fields.end(), [&](const Field& each) { return each.name == name; });
  return found == fields.end() ? nullptr : &*found;
}

std::string fieldsText(const Definition& definition) {
  Json json = Json::array();
  for (const Field& field : definition.fields) json.push_back(fieldJson(field));
  return json.dump();
}

std::vector<std::string> differencesOf(const std::string& there, const std::string& here) {
  std::vector<std::string> differences;
  if (there == here) return differences;
  std::vector<std::string> names;
  const auto collected = [&](const std::string& text) {
    std::vector<std::pair<std::string, Json>> fields;
    for (const Json& each : Json::parse(text)) {
      fields.emplace_back(each["name"].get<std::string>(), each);
      if (std::find(names.begin(), names.end(), fields.back().first) == names.end())
        names.push_back(fields.back().first);
    }
    return fields;
  };
  const auto fieldsThere = collected(there), fieldsHere = collected(here);
  const auto named = [](const auto& fields, const std::string& name) {
    const auto found = std::find_if(fields.begin(), fields.end(), [&](const auto& each) { return each.first == name; });
    return found == fields.end() ? Json() : found->second;
  };
  for (const std::string& name : names) {
    const Json a = named(fieldsThere, name), b = named(fieldsHere, name);
    if (a.is_null()) differences.push_back(fmt::format("{} is not in the ledger", name));
    if (b.is_null()) differences.push_back(fmt::format("{} is only in the ledger", name));
    if (a.is_null() || b.is_null()) continue;
    Json keys = a;
    keys.update(b);
    for (const auto& [key, value] : keys.items()) {
      if (valueOf(a, key) == valueOf(b, key)) continue;
      differences.push_back(fmt::format("{}: \"{}\" is {} in the ledger and {} in the sheet", name, key,
                                        valueOf(a, key), valueOf(b, key)));
    }
  }
  if (differences.empty()) differences.emplace_back("the fields stand in another order");
  return differences;
}

const char* nameOf(Form form) {
  return std::find_if(kForms.begin(), kForms.end(), [&](const auto& row) { return row.first == form; })->second;
}

std::optional<Form> formNamed(const std::string& name) {
  for (const auto& [form, word] : kForms) {
    if (name == word) return form;
  }
  return std::nullopt;
}

}  // namespace imprimo::units
