// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/baud_search.h"

#include <algorithm>
#include <array>

#include "core/console/bit_lengths.h"

namespace imprimo::console {
namespace {

constexpr std::array<std::uint32_t, 17> kUsual{1200,   2400,   4800,   9600,   19200,  38400,   57600,   74880,  115200,
                                               230400, 250000, 460800, 500000, 921600, 1000000, 2000000, 3000000};
/// The first one is fast enough for most, and adapters have it.
constexpr std::uint32_t kFirst = 921600;
/// So many bytes show what a rate is worth.
constexpr std::size_t kEnough = 24;
constexpr double kGood = 0.97;

/// How much of it is text.
double textShare(const Bytes& bytes) {
  const auto isText = [](std::uint8_t byte) {
    return (byte >= 0x20 && byte < 0x7F) || byte == '\n' || byte == '\r' || byte == '\t' || byte == 0x1B;
  };
  return static_cast<double>(std::count_if(bytes.begin(), bytes.end(), isText)) / static_cast<double>(bytes.size());
}

}  // namespace

BaudSearch::BaudSearch() : rate_(kFirst) {}

bool BaudSearch::listenAt(std::uint32_t rate) {
  const bool other = rate != rate_;
  rate_ = rate;
  heard_.clear();
  return other;
}

/// With nothing known: which rates may it be?
bool BaudSearch::judge() {
  if (textShare(heard_) >= kGood) {
    found_ = rate_;
    return false;
  }
  const auto low = shortestLow(heard_);
  if (!low) {
    // Much slower than this.
    constexpr std::uint32_t kSlower = 8;
    if (rate_ == kUsual.front()) return listenAt(kFirst);
    const auto* next = std::lower_bound(kUsual.begin(), kUsual.end(), rate_ / kSlower);
    return listenAt(*next);
  }
  constexpr double kAround = 0.9;
  // One or two of these bits may be less than one of the sender's, which then is as fast or faster.
  const double slowest = rate_ / (*low + kAround);
  const double fastest = *low <= 2 ? kUsual.back() : rate_ / (*low - kAround);
  for (const std::uint32_t usual : kUsual) {
    if (usual >= slowest && usual <= fastest) candidates_.push_back(usual);
  }
  // The nearest to what was measured is the likeliest.
  const double likely = static_cast<double>(rate_) / *low;
  std::sort(candidates_.begin(), candidates_.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::max(a / likely, likely / a) < std::max(b / likely, likely / b);
  });
  if (candidates_.empty()) return listenAt(kFirst);
  return listenAt(candidates_.front());
}

/// The rate that was listened to is one of the candidates.
bool BaudSearch::weigh() {
  const double share = textShare(heard_);
  if (share > bestShare_) {
    bestShare_ = share;
    best_ = rate_;
  }
  candidates_.erase(candidates_.begin());
  if (share < kGood && !candidates_.empty()) return listenAt(candidates_.front());
  found_ = best_;
  candidates_.clear();
  return best_ != rate_ && listenAt(best_);
}

bool BaudSearch::take(ByteSpan bytes, bool over) {
  if (found_) return false;
  heard_.insert(heard_.end(), bytes.begin(), bytes.end());
  if (heard_.empty() || (heard_.size() < kEnough && !over)) return false;
  return candidates_.empty() ? judge() : weigh();
}

}  // namespace imprimo::console
