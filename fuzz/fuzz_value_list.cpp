// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/units/template_text.h"
#include "core/units/value_list.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  try {
    units::columnOf(text, "list.csv", "mac");
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  try {
    units::fillTemplate(text, [](const std::string& name, const units::TemplateForm&) { return name; });
  } catch (const std::invalid_argument&) {
    // The same.
  }
  return 0;
}
