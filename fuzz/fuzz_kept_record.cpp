// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string>

#include "core/base/error.h"
#include "records/kept_record.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    imprimo::records::keptFrom(std::string(reinterpret_cast<const char*>(data), size), "record.json");
  } catch (const imprimo::Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
