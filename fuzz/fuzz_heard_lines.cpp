// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a target says, cut anywhere: lines, looks, numbers.
#include "core/console/heard_text.h"
#include "core/console/line_splitter.h"
#include "core/console/numbers.h"
#include "core/console/styled_text.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  if (size < 2) return 0;
  const std::size_t piece = 1 + data[0] % 61;
  console::LineSplitter splitter;
  console::HeardText text(std::string(reinterpret_cast<const char*>(data + 1), std::min<std::size_t>(size - 1, 4)));
  console::TextStyle style;
  for (std::size_t at = 1; at < size; at += piece) {
    const ByteSpan bytes(data + at, std::min(piece, size - at));
    text.add(bytes);
    for (const console::LineSplitter::Line& line : splitter.add(bytes)) {
      if (line.text.size() > console::LineSplitter::kLongest) __builtin_trap();
      console::namedNumbers(line.text);
      console::styledText(line.text, style);
    }
  }
  if (!text.seen()) __builtin_trap();  // it is the beginning of what was said
  return 0;
}
