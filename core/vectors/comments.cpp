// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/comments.h"

#include <cstdio>
#include <string_view>

#include "core/flash/vector_lines.h"

namespace imprimo::vectors {
namespace {

constexpr unsigned long long kLeastBlock = 16, kMostBlock = 1ull << 22;
constexpr std::size_t kMostErases = 64;

}  // namespace

void VectorComments::take(const std::string& text) {
  unsigned opcode = 0, opcode4 = 0;
  unsigned long long size = 0;
  if (std::sscanf(text.c_str(), "Erase 0x%2x 0x%2x: %llu bytes", &opcode, &opcode4, &size) == 3) {
    // Blocks are powers of two; anything else was not written by us.
    if (size >= kLeastBlock && size <= kMostBlock && (size & (size - 1)) == 0 && erases_.size() < kMostErases)
      erases_.push_back({static_cast<std::uint8_t>(opcode), static_cast<std::uint8_t>(opcode4), size});
    return;
  }
  if (text == flash::kAlwaysFour) four_ = true;
  if (text.starts_with(kTarget)) memory_ = text.substr(std::string_view(kTarget).size());
  // Files of versions before the token say it in the step's title.
  const std::size_t ask = text.find(": Ask "), who = text.find(" who it is");
  if (ask != std::string::npos && who != std::string::npos && ask + 6 < who)
    memory_ = text.substr(ask + 6, who - ask - 6);
}

BridgeDecoder VectorComments::decoder() const {
  BridgeDecoder decoder;
  for (const EraseSize& e : erases_) {
    decoder.setEraseSize(e.opcode, e.size);
    if (e.opcode4 != 0) decoder.setEraseSize(e.opcode4, e.size);
  }
  decoder.setFourBytes(four_);
  return decoder;
}

}  // namespace imprimo::vectors
