// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/sheet_differences.h"

#include <fmt/format.h>

#include "core/base/json.h"
#include "core/base/visible_text.h"

namespace imprimo::sheet {
namespace {

using Json = nlohmann::ordered_json;

std::string shown(const Json& value) {
  constexpr std::size_t kMost = 60;
  std::string text = visibleText(value.dump(-1, ' ', false, Json::error_handler_t::replace));
  return text.size() <= kMost ? text : text.substr(0, kMost) + " …";
}

void compare(const std::string& path, const Json& file, const Json& here, const SheetSides& sides,
             std::vector<std::string>& found) {
  if (file == here) return;
  if (file.is_object() && here.is_object()) {
    const auto below = [&](const std::string& key) { return path.empty() ? key : path + "." + key; };
    for (const auto& [key, value] : file.items()) {
      if (here.contains(key)) {
        compare(below(key), value, here[key], sides, found);
      } else {
        found.push_back(fmt::format("{}: {} {}, nothing {}", below(key), shown(value), sides.one, sides.other));
      }
    }
    for (const auto& [key, value] : here.items()) {
      if (!file.contains(key))
        found.push_back(fmt::format("{}: nothing {}, {} {}", below(key), sides.one, shown(value), sides.other));
    }
  } else if (file.is_array() && here.is_array() && file.size() == here.size()) {
    for (std::size_t i = 0; i < file.size(); ++i)
      compare(fmt::format("{}[{}]", path, i), file[i], here[i], sides, found);
  } else if (file.is_array() && here.is_array()) {
    found.push_back(fmt::format("{}: {} entries {}, {} {}", path, file.size(), sides.one, here.size(), sides.other));
  } else {
    found.push_back(fmt::format("{}: {} {}, {} {}", path, shown(file), sides.one, shown(here), sides.other));
  }
}

}  // namespace

std::vector<std::string> differences(std::string_view inFile, std::string_view here, const SheetSides& sides) {
  const Json file = Json::parse(inFile, nullptr, false), own = Json::parse(here, nullptr, false);
  if (file.is_discarded() || own.is_discarded()) return {"the file is no job sheet any more"};
  std::vector<std::string> found;
  compare("", file, own, sides, found);
  return found;
}

}  // namespace imprimo::sheet
