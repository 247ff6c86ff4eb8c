// SPDX-License-Identifier: GPL-3.0-or-later
//
// A release as files, which is how runs read it.
#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/user_folders.h"
#include "core/release/release_file.h"
#include "core/units/definition.h"

namespace imprimo::release {
namespace {

namespace fs = std::filesystem;

fs::path placeOf(const Release& release, const fs::path& folder) {
  return folder / release.id.substr(0, 32);
}

bool isAsSigned(const fs::path& file, const Bytes& bytes) {
  std::error_code none;
  if (!fs::is_regular_file(file, none) || fs::file_size(file, none) != bytes.size()) return false;
  return readFile(file) == bytes;
}

}  // namespace

fs::path releasesFolder() {
  return dataFolder() / "releases";
}

fs::path secretsFolder() {
  return dataFolder() / "secrets";
}

fs::path unpack(const Release& release, const fs::path& folder) {
  const fs::path place = placeOf(release, folder);
  for (std::size_t i = 0; i < release.contents.size(); ++i) {
    const fs::path file = place / release.manifest.parts[i].name;
    if (isAsSigned(file, release.contents[i])) continue;
    makeFolders(file.parent_path());
    writeFileAtomically(file, ByteSpan(release.contents[i]));
  }
  return place / release.manifest.sheet;
}

void requireUnchanged(const Release& release, const fs::path& folder) {
  const fs::path place = placeOf(release, folder);
  for (std::size_t i = 0; i < release.contents.size(); ++i) {
    const fs::path file = place / release.manifest.parts[i].name;
    if (!isAsSigned(file, release.contents[i]))
      throw Error(ErrorKind::BadFile, fmt::format("{} is not what was released", file.string()),
                  "Open the release again: that puts it right. Find out who changed it.");
  }
}

sheet::Sheet sheetOf(const Release& release, const fs::path& folder, const fs::path& secrets) {
  sheet::Sheet sheet = sheet::readSheet(unpack(release, folder));
  if (!sheet.units) return sheet;
  auto defined = std::make_shared<units::Definition>(*sheet.units);
  for (units::Field& field : defined->fields) {
    if (field.source.kind != units::Source::Derived) continue;
    const fs::path file = secrets / fs::path(field.source.file).filename();
    std::error_code none;
    if (!fs::is_regular_file(file, none))
      throw Error(ErrorKind::BadFile,
                  fmt::format("field {} is derived from {}, which is not on this station", field.name,
                              file.filename().string()),
                  fmt::format("A release has no secrets in it: put the file into {}.", secrets.string()));
    field.source.file = file.string();
  }
  sheet.units = std::move(defined);
  return sheet;
}

}  // namespace imprimo::release
