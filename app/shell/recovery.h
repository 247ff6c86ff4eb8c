// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "core/sheet/sheet.h"

namespace imprimo::app {

/// A sheet's unsaved changes, kept on disk because nobody could be asked: the program was told to end. The next start
/// offers them (docs/formats/recovery.md).
struct Recovery {
  std::filesystem::path file;   ///< of the recovery itself
  std::filesystem::path sheet;  ///< the sheet's own file; empty for one that was never saved
  std::string kept;             ///< when, UTC
  std::string text;             ///< the sheet as it was on screen
  std::string saved;            ///< the sheet's file as it was when it was read or saved last
};

/// Keeps them. Throws CannotWrite.
void keepForLater(const sheet::Sheet& sheet, const std::string& saved);
/// The oldest one there is; what cannot be read is passed over.
std::optional<Recovery> keptForLater();
void forget(const Recovery& recovery);

}  // namespace imprimo::app
