// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/sheet_paths.h"

#include "core/base/json.h"
#include "core/sheet/sheet_changes.h"
#include "core/sheet/sheet_keys.h"

namespace imprimo::sheet {
namespace {

using Each = std::function<void(std::string&, const std::string&, bool)>;

void walk(SheetJson& object, std::span<const KeyRow> rows, const Place& place, const std::filesystem::path& folder,
          const Each& each) {
  if (!object.is_object()) return;
  for (const KeyRow& row : rows) {
    if (!object.contains(row.key)) continue;
    SheetJson& value = object[row.key];
    const Place at = place / std::string(row.key);
    if (row.kind == ValueKind::Object) {
      walk(value, row.inside(), at, folder, each);
    } else if (row.kind == ValueKind::List && value.is_array()) {
      for (std::size_t i = 0; i < value.size(); ++i) walk(value[i], row.inside(), at / i, folder, each);
    } else if (row.kind == ValueKind::File && value.is_string()) {
      std::string path = value.get<std::string>();
      std::error_code none;
      const bool library = std::string_view(row.key) == "pack" && path.find('/') == std::string::npos &&
                           !std::filesystem::exists(folder / path, none);
      each(path, at.text(), !library);
      value = std::move(path);
    }
  }
}

}  // namespace

void forEachPath(SheetJson& root, const std::filesystem::path& folder, const Each& each) {
  walk(root, sheetKeys(), {}, folder, each);
}

}  // namespace imprimo::sheet
