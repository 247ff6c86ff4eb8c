// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <string_view>

namespace imprimo::units {

/// How a value stands in a text: {name}, {name:06} with zeros in front, {name:X} or {name:08X} in hexadecimal digits.
struct TemplateForm {
  unsigned width = 0;
  bool hexadecimal = false;
};

/// "RG-{serial:06}" with the value of each name put in its place; {{ and }} are braces. Throws std::invalid_argument
/// saying what is wrong with the text.
std::string fillTemplate(std::string_view text,
                         const std::function<std::string(const std::string& name, const TemplateForm& form)>& value);

}  // namespace imprimo::units
