// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdlib>
#include <string_view>

#include "core/base/error.h"
#include "core/run/run_notes.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo::run;
  try {
    const RunNote note = parseNote({reinterpret_cast<const char*>(data), size}, "note");
    // What was read is written, and read again as the same.
    const std::string text = noteText(note);
    if (noteText(parseNote(text, "note")) != text) std::abort();
  } catch (const imprimo::Error& e) {
    if (e.kind() != imprimo::ErrorKind::BadFile) std::abort();
  }
  return 0;
}
