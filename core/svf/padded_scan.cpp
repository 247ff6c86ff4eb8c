// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/padded_scan.h"

#include <algorithm>
#include <bit>

namespace imprimo::svf {

template <typename Append>
BitVector PaddedScan::gather(jtag::BitRange range, Append&& append) const {
  BitVector bits;
  bits.reserve(range.size());
  std::size_t begins = 0;
  for (const FieldValue* field : fields_) {
    const std::size_t from = std::max(range.begin, begins), to = std::min(range.end, begins + field->length);
    if (from < to) append(bits, *field, from - begins, to - from);
    begins += field->length;
  }
  return bits;
}

namespace {
void appendDevice(BitVector& bits, const BitVector& of, std::size_t at, std::size_t count) {
  if (at == 0 && count == of.size()) {
    bits.append(of);
  } else {
    bits.append(of.slice(at, count));
  }
}
}  // namespace

BitVector PaddedScan::tdi(jtag::BitRange range) const {
  return gather(range, [](BitVector& bits, const FieldValue& f, std::size_t at, std::size_t count) {
    appendDevice(bits, f.tdi, at, count);
  });
}

BitVector PaddedScan::tdo(jtag::BitRange range) const {
  return gather(range, [](BitVector& bits, const FieldValue& f, std::size_t at, std::size_t count) {
    if (f.tdo) {
      appendDevice(bits, *f.tdo, at, count);
    } else {
      bits.appendFill(false, count);
    }
  });
}

BitVector PaddedScan::mask(jtag::BitRange range) const {
  return gather(range, [](BitVector& bits, const FieldValue& f, std::size_t at, std::size_t count) {
    if (!f.tdo || f.mask.empty()) {
      bits.appendFill(f.tdo.has_value(), count);
    } else {
      appendDevice(bits, f.mask, at, count);
    }
  });
}

jtag::BitRange extentOf(const BitVector& mask) {
  const auto words = mask.words();
  std::size_t first = 0, last = words.size();
  while (first < last && words[first] == 0) ++first;
  if (first == last) return {};
  while (words[last - 1] == 0) --last;
  return {64 * first + static_cast<std::size_t>(std::countr_zero(words[first])),
          64 * last - static_cast<std::size_t>(std::countl_zero(words[last - 1]))};
}

std::size_t onesIn(const BitVector& bits) {
  std::size_t count = 0;
  for (const std::uint64_t word : bits.words()) count += static_cast<std::size_t>(std::popcount(word));
  return count;
}

}  // namespace imprimo::svf
