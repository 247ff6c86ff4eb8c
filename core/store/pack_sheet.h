// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/sheet/sheet.h"

namespace imprimo::store {

/// A sheet with all that it names, to be handed on.
struct PackedSheet {
  struct File {
    std::filesystem::path from;
    std::string name;  ///< with '/', from where the sheet is
  };
  std::string sheetName, sheetText;
  std::vector<File> files;
  /// What is not in it, each in a sentence: files that are not there, numbers of units.
  std::vector<std::string> leftOut;
};

/// Files below the sheet's folder keep their places, others go to "files/". Descriptions that only the user's library
/// has, and the work needs, are named in the packed sheet. `edited`: also what is typed and not saved.
PackedSheet packSheet(const sheet::Sheet& sheet);

/// Writes it into a new or empty folder, or into a zip where `to` ends with ".zip", and says how many bytes that is.
/// Throws Usage for a folder that has something in it, BadFile, CannotWrite; nothing is left behind then.
std::uint64_t writePacked(const PackedSheet& packed, const std::filesystem::path& to);

/// Unpacks a zip that holds one sheet into a folder, which is made, and returns the sheet's path. Throws BadFile,
/// CannotWrite; then the folder is not there, unless it was before.
std::filesystem::path unpackSheet(const std::filesystem::path& zip, const std::filesystem::path& folder);

}  // namespace imprimo::store
