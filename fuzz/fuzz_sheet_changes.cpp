// SPDX-License-Identifier: GPL-3.0-or-later
//
// A document up to the first byte 0, behind it another one: the second is written in the layout of the first.
#include <algorithm>
#include <cstdint>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/json_layout.h"
#include "core/base/json_text.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  const std::string_view all(reinterpret_cast<const char*>(data), size);
  const std::string_view before = all.substr(0, all.find('\0'));
  const std::string_view after = before.size() == size ? std::string_view() : all.substr(before.size() + 1);
  try {
    const JsonText was = JsonText::parse(before, "was");
    if (inLayoutOf(before, *was.root) != before) __builtin_trap();
    const JsonText now = JsonText::parse(after, "now");
    const std::string written = inLayoutOf(before, *now.root);
    if (*JsonText::parse(written, "written").root != *now.root) __builtin_trap();
  } catch (const Error&) {
    // What is no document is told, as everywhere.
  }
  return 0;
}
