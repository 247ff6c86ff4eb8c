// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

namespace imprimo::settings {

/// One thing that can be chosen.
struct Setting {
  std::string key;    ///< "copies.days"
  std::string what;   ///< for people, in a line
  std::string takes;  ///< "light, dark, contrast or system"
  std::string value;  ///< as it is now
  std::string usual;  ///< without a choice
  std::string where;  ///< the file that keeps it
  bool isUsual() const { return value == usual; }
};

/// All of them, in the order of the settings page. Throws BadFile where a file that keeps one is wrong.
std::vector<Setting> allSettings();
/// Throws Usage for a key that is none and for a value that is not taken, CannotWrite.
void setSetting(const std::string& key, const std::string& value);
/// Back to what it is without a choice. Throws Usage, CannotWrite.
void resetSetting(const std::string& key);

}  // namespace imprimo::settings
