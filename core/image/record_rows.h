// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "core/image/memory_image.h"

namespace imprimo {

/// Takes the bytes of a file as they are made, in order.
using ByteSink = std::function<void(ByteSpan)>;

/// What is not there is written too, as `fill`, so that all of `range` is.
struct Filling {
  AddressRange range;
  std::uint8_t fill = kBlankByte;
};

/// Calls row(address, bytes) for the data of an image, in order. Rows begin at multiples of `length` or where data
/// begins, and do not cross a multiple; so the same image always gives the same rows.
void forEachRow(const MemoryImage& image, std::size_t length, const std::optional<Filling>& filling,
                const std::function<void(std::uint64_t, ByteSpan)>& row);

/// Text on its way to a sink, in large pieces.
class TextSink {
 public:
  explicit TextSink(const ByteSink& sink) : sink_(sink) { text_.reserve(kPiece + 1024); }
  ~TextSink() = default;
  /// To be appended to; call flushFull() after every line.
  std::string& text() { return text_; }
  void flushFull() {
    if (text_.size() >= kPiece) flush();
  }
  /// Throws what the sink throws.
  void flush() {
    sink_({reinterpret_cast<const std::uint8_t*>(text_.data()), text_.size()});
    text_.clear();
  }

 private:
  static constexpr std::size_t kPiece = 256 << 10;
  const ByteSink& sink_;
  std::string text_;
};

/// What a writer that takes a sink would write, as one text.
template <typename Write>
std::string textOf(Write&& write) {
  std::string text;
  write([&](ByteSpan bytes) { text.append(reinterpret_cast<const char*>(bytes.data()), bytes.size()); });
  return text;
}

}  // namespace imprimo
