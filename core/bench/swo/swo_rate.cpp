// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/swo/swo_rate.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/console/bit_lengths.h"
#include "core/console/itm_stream.h"

namespace imprimo::bench {
namespace {

using std::chrono::microseconds;

/// Header and word of what is written, in bits of the pin with what is around them.
constexpr double kBitsOfWord = 60;
constexpr std::uint32_t kMostDivider = 8192;

}  // namespace

/// What is heard while a word is on the way at `hz`; where asking takes time, it is asked until that is over.
Bytes SwoRateSearch::hearWord(std::uint32_t word, std::uint32_t hz) {
  constexpr std::size_t kHeaderAndWord = 5;
  port_.take();
  target_.write(SwoTarget::kOwnPort, word);
  const microseconds time(static_cast<std::int64_t>(kBitsOfWord * 1e6 / hz) + 200);
  const std::chrono::nanoseconds begin = core_.now();
  Bytes all;
  do {
    core_.pass(time);
    const Bytes more = port_.take().bytes;
    all.insert(all.end(), more.begin(), more.end());
  } while (all.size() < kHeaderAndWord && core_.now() - begin < time);
  return all;
}

bool SwoRateSearch::proves(std::uint32_t hz) {
  real_ = port_.begin(coding_, hz);
  if (real_ == 0) return false;
  for (const std::uint32_t word : {0x5A0FF0C3u, 0xA5FF003Cu}) {
    console::ItmStream stream;
    const auto writes = stream.add(hearWord(word, hz)).writes;
    const console::ItmStream::Written wanted{SwoTarget::kOwnPort, 4, word};
    if (std::find(writes.begin(), writes.end(), wanted) == writes.end()) return false;
  }
  return true;
}

/// The fastest that works with that clock, not above what is wanted.
std::optional<SwoRate> SwoRateSearch::tryClock(std::uint32_t wantedHz, std::uint32_t clockHz) {
  constexpr int kSlower = 6;
  std::uint32_t divider = std::max<std::uint32_t>(1, (clockHz + wantedHz - 1) / wantedHz);
  for (int i = 0; i < kSlower && divider <= kMostDivider; ++i, divider *= 2) {
    target_.setDivider(divider);
    if (proves(clockHz / divider)) return SwoRate{clockHz, divider, real_};
  }
  return std::nullopt;
}

/// The trace clock: the pin is made slow, and single bits on it are measured with a fast receiver; then the rates at
/// which words come through are gone over, and the middle of them is it.
std::optional<std::uint32_t> SwoRateSearch::measure() {
  constexpr double kStep = 1.015, kAround = 0.7;
  constexpr unsigned kTooShort = 2;
  for (const std::uint32_t divider : {256u, 2048u}) {
    target_.setDivider(divider);
    for (std::uint32_t fast = 8'000'000; fast >= 4'000; fast = fast / 3) {
      const std::uint32_t receiver = port_.begin(coding_, fast);
      if (receiver == 0) continue;
      const auto low = console::shortestLow(hearWord(0xFFFFFFFF, std::max(receiver / 12, 1000u)));
      if (!low) continue;
      if (*low <= kTooShort) break;  // the pin is too fast for this divider
      double first = 0, last = 0;
      const double from = receiver / (*low + kAround), to = receiver / (*low - kAround);
      const int steps = static_cast<int>(std::floor(std::log(to * kStep / from) / std::log(kStep)));
      for (int step = 0; step <= steps; ++step) {
        const double hz = from * std::pow(kStep, step);
        if (proves(static_cast<std::uint32_t>(hz))) {
          if (first == 0) first = real_;
          last = real_;
        } else if (first != 0) {
          break;
        }
      }
      if (first != 0) return static_cast<std::uint32_t>(std::lround(std::sqrt(first * last) * divider));
      break;
    }
  }
  return std::nullopt;
}

/// A receiver of Manchester coding takes the rate from what comes.
std::optional<SwoRate> SwoRateSearch::byItself(std::uint32_t wantedHz) {
  for (std::uint32_t divider = 8; divider <= kMostDivider; divider *= 2) {
    target_.setDivider(divider);
    if (proves(wantedHz)) return SwoRate{0, divider, real_};
  }
  return std::nullopt;
}

SwoRate SwoRateSearch::find(std::uint32_t wantedHz, std::uint32_t clockHz) {
  // Only the own port, so that what the core says does not come between.
  target_.openPorts(1u << SwoTarget::kOwnPort);
  std::optional<SwoRate> rate;
  if (clockHz > 0) rate = tryClock(wantedHz, clockHz);
  if (!rate && coding_ == probe::SwoCoding::Manchester) rate = byItself(wantedHz);
  if (!rate && coding_ == probe::SwoCoding::Uart) {
    if (const auto measured = measure()) rate = tryClock(wantedHz, *measured);
  }
  if (rate) return *rate;
  port_.end();
  throw Error(ErrorKind::Refused, fmt::format("nothing of the trace of {} comes on SWO", core_.name()),
              "Look whether the wire is connected, and whether the pin has to be made SWO first: \"trace\" in the core "
              "card has steps for that.");
}

}  // namespace imprimo::bench
