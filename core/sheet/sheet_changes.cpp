// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/sheet_changes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/json.h"
#include "core/base/json_layout.h"
#include "core/base/letter_case.h"
#include "core/base/number.h"
#include "core/sheet/sheet_keys.h"

namespace imprimo::sheet {
namespace {

/// Who names whom: keys of the entries of a list that hold the name of an entry of another one.
struct Reference {
  const char* to;
  const char* list;
  std::vector<std::string> keys;
  bool whole = true;  ///< the entry makes no sense without it; else only the first key's value
};

const std::vector<Reference>& references() {
  static const std::vector<Reference> kReferences{
      {"chain", "memories", {"route", "device"}}, {"chain", "cores", {"device"}},
      {"chain", "configurations", {"device"}},    {"chain", "pins", {"device"}},
      {"cores", "memories", {"route", "core"}},   {"cores", "cores", {"started_by", "core"}, false},
      {"memories", "placements", {"memory"}},     {"memories", "sums", {"memory"}},
      {"memories", "edits", {"memory"}},          {"memories", "keep", {"memory"}},
      {"memories", "erase", {"memory"}},          {"memories", "bookmarks", {"memory"}},
  };
  return kReferences;
}

const SheetJson* inside(const SheetJson& entry, const std::vector<std::string>& keys) {
  const SheetJson* at = &entry;
  for (const std::string& key : keys) {
    if (!at->is_object() || !at->contains(key)) return nullptr;
    at = &(*at)[key];
  }
  return at;
}

bool names(const SheetJson& entry, const std::vector<std::string>& keys, const std::string& name) {
  const SheetJson* value = inside(entry, keys);
  return value != nullptr && value->is_string() && value->get_ref<const std::string&>() == name;
}

std::optional<std::string> nameOf(const SheetJson& entry) {
  if (!entry.is_object() || !entry.contains("name") || !entry["name"].is_string()) return std::nullopt;
  return entry["name"].get<std::string>();
}

bool isReferredTo(const std::string& list) {
  return list == "chain" || list == "cores" || list == "memories";
}

void rename(SheetJson& root, const std::string& list, const std::string& from, const std::string& to) {
  for (const Reference& reference : references()) {
    if (list != reference.to || !root.contains(reference.list)) continue;
    for (SheetJson& entry : root[reference.list]) {
      if (!names(entry, reference.keys, from)) continue;
      SheetJson* value = &entry;
      for (const std::string& key : reference.keys) value = &(*value)[key];
      *value = to;
    }
  }
}

void removeEntry(SheetJson& root, const std::string& list, std::size_t index) {
  SheetJson& entries = root[list];
  const std::optional<std::string> name = nameOf(entries[index]);
  entries.erase(index);
  if (!name || !isReferredTo(list)) return;
  for (const Reference& reference : references()) {
    if (list != reference.to || !root.contains(reference.list)) continue;
    for (std::size_t i = root[reference.list].size(); i-- > 0;) {
      SheetJson& entry = root[reference.list][i];
      if (!names(entry, reference.keys, *name)) continue;
      if (reference.whole) {
        removeEntry(root, reference.list, i);
      } else {
        entry.erase(reference.keys.front());
      }
    }
  }
}

/// The value at a step, made where it is missing; a list grows by one at most.
SheetJson& step(SheetJson& at, const Place::Step& step) {
  if (const auto* key = std::get_if<std::string>(&step)) {
    if (!at.is_object()) at = SheetJson::object();
    return at[*key];
  }
  if (!at.is_array()) at = SheetJson::array();
  const std::size_t index = std::min(std::get<std::size_t>(step), at.size());
  if (index == at.size()) at.push_back(nullptr);
  return at[index];
}

}  // namespace

Place Place::operator/(Step step) const {
  Place place = *this;
  place.steps_.push_back(std::move(step));
  return place;
}

std::string Place::text() const {
  std::string text;
  for (const Step& step : steps_) {
    if (const auto* key = std::get_if<std::string>(&step)) {
      text += (text.empty() ? "" : ".") + *key;
    } else {
      text += fmt::format("[{}]", std::get<std::size_t>(step));
    }
  }
  return text;
}

std::string Place::kind() const {
  std::string text;
  for (const Step& step : steps_) {
    if (const auto* key = std::get_if<std::string>(&step)) {
      text += (text.empty() ? "" : ".") + *key;
    } else {
      text += "[]";
    }
  }
  return text;
}

Sheet sheetOf(const SheetJson& root, const Sheet& like) {
  const std::string text = like.layout ? inLayoutOf(*like.layout, root) : root.dump(2) + "\n";
  return parseSheet(text, like.path, &like);
}

const SheetJson* valueAt(const SheetJson& root, const Place& place) {
  const SheetJson* at = &root;
  for (const Place::Step& step : place.steps()) {
    if (const auto* key = std::get_if<std::string>(&step)) {
      if (!at->is_object() || !at->contains(*key)) return nullptr;
      at = &(*at)[*key];
    } else {
      const std::size_t index = std::get<std::size_t>(step);
      if (!at->is_array() || index >= at->size()) return nullptr;
      at = &(*at)[index];
    }
  }
  return at;
}

void setValue(SheetJson& root, const Place& place, SheetJson value) {
  const auto& steps = place.steps();
  if (steps.size() == 3 && steps[2] == Place::Step("name") && value.is_string()) {
    const std::string& list = std::get<std::string>(steps[0]);
    const SheetJson* old = valueAt(root, place);
    if (isReferredTo(list) && old != nullptr && old->is_string())
      rename(root, list, old->get<std::string>(), value.get<std::string>());
  }
  SheetJson* at = &root;
  for (const Place::Step& each : steps) at = &step(*at, each);
  *at = std::move(value);
}

void removeValue(SheetJson& root, const Place& place) {
  const auto& steps = place.steps();
  if (steps.empty() || valueAt(root, place) == nullptr) return;
  if (steps.size() == 2 && std::holds_alternative<std::size_t>(steps[1]))
    return removeEntry(root, std::get<std::string>(steps[0]), std::get<std::size_t>(steps[1]));
  SheetJson* at = &root;
  for (std::size_t i = 0; i + 1 < steps.size(); ++i) at = &step(*at, steps[i]);
  if (const auto* key = std::get_if<std::string>(&steps.back())) {
    at->erase(*key);
  } else {
    at->erase(std::get<std::size_t>(steps.back()));
  }
  // "probe" or "console" with nothing in it; an entry of a list stays, whatever it lacks then.
  if (!at->empty() || steps.size() < 2 || !std::holds_alternative<std::string>(steps[steps.size() - 2])) return;
  Place around;
  for (std::size_t i = 0; i + 1 < steps.size(); ++i) around = around / steps[i];
  if (around.kind() != "chain" && around.kind() != "hold_pins") removeValue(root, around);
}

void moveEntry(SheetJson& root, const Place& list, std::size_t from, std::size_t to) {
  const SheetJson* there = valueAt(root, list);
  if (there == nullptr || from >= there->size() || to >= there->size() || from == to) return;
  SheetJson entries = *there;
  SheetJson moved = entries[from];
  entries.erase(from);
  entries.insert(entries.begin() + static_cast<std::ptrdiff_t>(to), std::move(moved));
  setValue(root, list, std::move(entries));
}

std::string nameFromEntity(const std::string& entity) {
  std::string name = lowered(entity);
  std::replace(name.begin(), name.end(), '_', '-');
  return name;
}

std::string freeName(const SheetJson& root, const std::string& list, const std::string& wish) {
  const auto taken = [&](const std::string& name) {
    if (!root.contains(list)) return false;
    const SheetJson& entries = root[list];
    return std::any_of(entries.begin(), entries.end(), [&](const SheetJson& e) { return nameOf(e) == name; });
  };
  std::string name = wish;
  for (int i = 2; taken(name); ++i) name = fmt::format("{}-{}", wish, i);
  return name;
}

void fitAssumedLengths(SheetJson& root, const std::vector<Device>& chain, std::uint32_t total) {
  constexpr std::int64_t kShortest = 2;
  std::int64_t rest = total;
  std::vector<std::size_t> assumed;
  for (std::size_t i = 0; i < chain.size(); ++i) {
    rest -= chain[i].irLength;
    if (chain[i].lengthAssumed) assumed.push_back(i);
  }
  for (const std::size_t i : assumed) {
    const std::int64_t length = std::max(kShortest, static_cast<std::int64_t>(chain[i].irLength) + rest);
    rest -= length - chain[i].irLength;
    root["chain"][i]["ir_length"] = length;
  }
  if (assumed.size() == 1 && rest == 0) root["chain"][assumed.front()].erase("assumed");
}

SheetJson valueTyped(const Place& place, const std::string& text) {
  // An element of a list of texts is of no kind of its own.
  if (std::holds_alternative<std::size_t>(place.steps().back())) return text;
  Place around;
  for (std::size_t i = 0; i + 1 < place.steps().size(); ++i) around = around / place.steps()[i];
  if (around.kind().ends_with("hold_pins"))
    return text == "0" ? SheetJson(0) : text == "1" ? SheetJson(1) : SheetJson(text);
  const std::string& key = std::get<std::string>(place.steps().back());
  for (const KeyRow& row : keysAt(around.kind())) {
    if (row.key != key) continue;
    switch (row.kind) {
      case ValueKind::Number:
      case ValueKind::Level:
        if (const auto number = parseNumber(text)) return *number;
        return text;
      case ValueKind::Real: {
        char* end = nullptr;
        const double real = std::strtod(text.c_str(), &end);
        if (text.empty() || *end != '\0' || !std::isfinite(real)) return text;
        if (real == std::floor(real) && std::abs(real) < 1e9) return static_cast<std::int64_t>(real);
        return real;
      }
      case ValueKind::Flag:
        return text == "true" || text == "yes"   ? SheetJson(true)
               : text == "false" || text == "no" ? SheetJson(false)
                                                 : SheetJson(text);
      case ValueKind::Words: {
        SheetJson list = SheetJson::array();
        for (std::size_t at = 0; at < text.size();) {
          const std::size_t comma = std::min(text.find(',', at), text.size());
          std::size_t begin = at, end = comma;
          while (begin < end && text[begin] == ' ') ++begin;
          while (end > begin && text[end - 1] == ' ') --end;
          if (end > begin) list.push_back(text.substr(begin, end - begin));
          at = comma + 1;
        }
        return list;
      }
      default:
        return text;
    }
  }
  return text;
}

std::string valueText(const SheetJson& value) {
  if (value.is_string()) return value.get<std::string>();
  if (value.is_boolean()) return value.get<bool>() ? "yes" : "no";
  if (!value.is_array()) return value.dump();
  std::string text;
  for (const SheetJson& each : value) text += (text.empty() ? "" : ", ") + valueText(each);
  return text;
}

}  // namespace imprimo::sheet
