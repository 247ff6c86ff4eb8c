// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/release/release_file.h"

/// The file as a whole, and its list of parts alone, which otherwise only a signature lets through.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    release::parseRelease({data, size}, "fuzzed", {}, release::Trust::Anyone);
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  try {
    release::parseManifest({reinterpret_cast<const char*>(data), size}, "fuzzed");
  } catch (const Error&) {
    // The same.
  }
  return 0;
}
