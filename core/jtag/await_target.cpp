// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/await_target.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/jtag/examine.h"

namespace imprimo::jtag {

void awaitTarget(JtagPort& port, std::chrono::seconds limit, const std::function<void()>& examine,
                 const std::function<void(double left)>& told, const std::stop_token& stop) {
  using Seconds = std::chrono::duration<double>;
  constexpr std::chrono::milliseconds kPause{100};
  Seconds asked{0};
  const auto begin = std::chrono::steady_clock::now();  // NOLINT(clang-analyzer-deadcode.DeadStores)
  for (;;) {
    std::optional<BrokenChain> missing;
    try {
      return examine();
    } catch (const BrokenChain& broken) {
      missing = broken;
    }
    // On a virtual bench time passes as it is asked to, on a real one by the clock on the wall.
    const Seconds passed = std::max(asked, Seconds(std::chrono::steady_clock::now() - begin));
    const double left = (Seconds(limit) - passed).count();
    if (left <= 0) {
      BrokenChain error(missing->how(), fmt::format("waited {} s for the target: {}", limit.count(), missing->what()),
                        missing->remedy());
      error.nearTdo = missing->nearTdo;
      error.maybeMore = missing->maybeMore;
      error.breakBehind = missing->breakBehind;
      throw error;
    }
    if (stop.stop_requested())
      throw Error(ErrorKind::Stopped, "stopped while waiting for the target; nothing was touched");
    if (told) told(left);
    ScanBatch pause;
    pause.delay(kPause);
    port.run(pause);
    asked += kPause;
  }
}

}  // namespace imprimo::jtag
