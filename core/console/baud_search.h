// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::console {

/// Finds the rate of a serial port by what comes on it: listened to too fast, the lengths of bits tell about how fast
/// it is, and of the usual rates near that the one is taken at which text comes, or the fewest odd bytes.
class BaudSearch {
 public:
  BaudSearch();

  /// At which it is to be listened to now.
  std::uint32_t rate() const { return rate_; }
  /// What came at that rate, `over` if it was long enough to go by what there is. Returns whether rate() is another
  /// now.
  bool take(ByteSpan bytes, bool over);
  /// What came at rate() since it was listened to at that.
  const Bytes& heard() const { return heard_; }
  /// What was found; nothing as long as it is looked for.
  std::optional<std::uint32_t> found() const { return found_; }

 private:
  bool listenAt(std::uint32_t rate);
  bool judge();
  bool weigh();

  std::uint32_t rate_ = 0;
  Bytes heard_;
  std::vector<std::uint32_t> candidates_;  // that are left to be listened to
  std::uint32_t best_ = 0;
  double bestShare_ = -1;
  std::optional<std::uint32_t> found_;
};

}  // namespace imprimo::console
