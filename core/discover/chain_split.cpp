// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/discover/chain_split.h"

#include <algorithm>

namespace imprimo::discover {
namespace {

using Reach = std::vector<std::vector<bool>>;

/// Registers in wire order: the one nearest TDO first, whose first bit came out first.
class Splitter {
 public:
  Splitter(const BitVector& capture, const std::vector<ToldRegister>& fromTdi)
      : capture_(capture), told_(fromTdi.rbegin(), fromTdi.rend()), bits_(capture.size()) {}

  std::optional<ChainSplit> split() {
    const std::size_t count = told_.size();
    front_.assign(count + 1, std::vector<bool>(bits_ + 1, false));
    front_[0][0] = true;
    for (std::size_t k = 0; k < count; ++k) forward(k);
    if (!front_[count][bits_]) return std::nullopt;
    back_.assign(count + 1, std::vector<bool>(bits_ + 1, false));
    back_[count][bits_] = true;
    for (std::size_t k = count; k-- > 0;) backward(k);
    ChainSplit split;
    split.registers.resize(count);
    std::size_t at = 0;
    for (std::size_t k = 0; k < count; ++k) {
      ChainSplit::Register& one = split.registers[count - 1 - k];
      const bool begins = placesOf(k) == 1, ends = placesOf(k + 1) == 1;
      one.placeCertain = begins && ends;
      one.lengthCertain = told_[k].length != 0 || one.placeCertain;
      const std::size_t end = endOf(k, at);
      one.length = static_cast<std::uint32_t>(end - at);
      at = end;
    }
    return split;
  }

 private:
  static constexpr std::size_t kShortest = 2;

  /// Whether register k can begin at a bit.
  bool canBegin(std::size_t k, std::size_t begin) const {
    const ToldRegister& told = told_[k];
    if (told.length == 0) return begin + kShortest <= bits_ && capture_[begin] && !capture_[begin + 1];
    if (begin + told.length > bits_) return false;
    if (told.capture.size() != told.length) return true;
    for (std::size_t i = 0; i < told.capture.size(); ++i) {
      const char expected = told.capture[told.capture.size() - 1 - i];
      if ((expected == '0' && capture_[begin + i]) || (expected == '1' && !capture_[begin + i])) return false;
    }
    return true;
  }

  void forward(std::size_t k) {
    bool open = false;  // a register of any length began at least two bits ago
    for (std::size_t end = 0; end <= bits_; ++end) {
      const std::size_t length = told_[k].length;
      if (length != 0) {
        front_[k + 1][end] = end >= length && front_[k][end - length] && canBegin(k, end - length);
        continue;
      }
      if (end >= kShortest) open = open || (front_[k][end - kShortest] && canBegin(k, end - kShortest));
      front_[k + 1][end] = open;
    }
  }

  void backward(std::size_t k) {
    bool open = false;
    for (std::size_t begin = bits_ + 1; begin-- > 0;) {
      const std::size_t length = told_[k].length;
      if (length != 0) {
        back_[k][begin] = begin + length <= bits_ && back_[k + 1][begin + length] && canBegin(k, begin);
        continue;
      }
      if (begin + kShortest <= bits_) open = open || back_[k + 1][begin + kShortest];
      back_[k][begin] = open && canBegin(k, begin);
    }
  }

  /// How many bits register k can begin at, in ways that fit as a whole.
  std::size_t placesOf(std::size_t k) const {
    std::size_t places = 0;
    for (std::size_t i = 0; i <= bits_; ++i) places += front_[k][i] && back_[k][i] ? 1 : 0;
    return places;
  }

  /// The nearest end of register k that leaves room for the others.
  std::size_t endOf(std::size_t k, std::size_t begin) const {
    if (told_[k].length != 0) return begin + told_[k].length;
    std::size_t end = begin + kShortest;
    while (!back_[k + 1][end]) ++end;
    return end;
  }

  const BitVector& capture_;
  std::vector<ToldRegister> told_;
  std::size_t bits_;
  Reach front_, back_;  // [k][i]: the first k fill i bits; those from k on fill the bits from i
};

}  // namespace

std::optional<ChainSplit> splitChain(const BitVector& capture, const std::vector<ToldRegister>& told) {
  return Splitter(capture, told).split();
}

}  // namespace imprimo::discover
