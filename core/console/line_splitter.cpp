// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/line_splitter.h"

#include <utility>

namespace imprimo::console {

std::vector<LineSplitter::Line> LineSplitter::add(ByteSpan bytes) {
  std::vector<Line> lines;
  const auto end = [&](bool ended) { lines.push_back({std::exchange(open_, {}), ended}); };
  for (const std::uint8_t byte : bytes) {
    const bool second = std::exchange(afterReturn_, byte == '\r') && byte == '\n';
    if (second) continue;
    if (byte == '\n' || byte == '\r') {
      end(true);
      continue;
    }
    open_ += static_cast<char>(byte);
    if (open_.size() >= kLongest) end(false);
  }
  return lines;
}

}  // namespace imprimo::console
