// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/store/copy_store.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    const run::StoredCopy copy = store::parseCopyList(text, "fuzz");
    for (const AddressRange& r : copy.ranges) {
      if (r.end > copy.of.size || r.empty()) __builtin_trap();
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
