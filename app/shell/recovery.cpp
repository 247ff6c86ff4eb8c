// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/recovery.h"

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/base/utc.h"
#include "core/store/folders.h"

namespace imprimo::app {
namespace fs = std::filesystem;

namespace {
fs::path recoveryFolder() {
  return store::dataFolder() / "recovery";
}
}  // namespace

void keepForLater(const sheet::Sheet& sheet, const std::string& saved) {
  const std::string name = sheet.path.empty() ? "never-saved" : sheet.path.stem().string();
  const nlohmann::ordered_json json = {{"imprimo_recovery", 1},
                                       {"kept", utcNow()},
                                       {"sheet", sheet.path.string()},
                                       {"text", sheet::sheetText(sheet)},
                                       {"saved", saved}};
  writeFileAtomically(store::freshPath(recoveryFolder(), name, ".json"), json.dump(1) + "\n");
}

std::optional<Recovery> keptForLater() {
  std::vector<fs::path> files;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(recoveryFolder(), none)) {
    if (entry.path().extension() == ".json") files.push_back(entry.path());
  }
  std::sort(files.begin(), files.end());  // by name, which begins with the time
  for (const fs::path& file : files) {
    try {
      const JsonText json = JsonText::parse(readTextFile(file, kListFile), file.string());
      const JsonNode root(json);
      if (root["imprimo_recovery"].number() != 1) continue;
      return Recovery{file, root["sheet"].string(), root["kept"].string(), root["text"].string(),
                      root["saved"].string()};
    } catch (const Error&) {
      // Not one of ours, or damaged: it stays where it is.
    }
  }
  return std::nullopt;
}

void forget(const Recovery& recovery) {
  std::error_code none;
  fs::remove(recovery.file, none);
}

}  // namespace imprimo::app
