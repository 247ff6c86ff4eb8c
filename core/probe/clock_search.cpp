// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/clock_search.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <random>

#include "core/base/error.h"

namespace imprimo::probe {
namespace {

constexpr std::uint32_t kRates[] = {100'000,    200'000,    500'000,    1'000'000,  2'000'000,  3'000'000,
                                    4'000'000,  5'000'000,  6'000'000,  7'500'000,  10'000'000, 12'000'000,
                                    15'000'000, 20'000'000, 24'000'000, 30'000'000, 40'000'000, 50'000'000};
constexpr double kMargin = 0.8;

BitVector readIds(Probe& probe, std::size_t devices) {
  jtag::ScanBatch batch;
  batch.reset();
  batch.exchange(jtag::Register::Data, BitVector(devices * 32, true));
  return std::move(tapOf(probe).run(batch).at(0));
}

/// Words that make every step hard: changes at each bit, long rests with one bit between, and chance.
BitVector pattern(int number, std::size_t bits, std::mt19937_64& random) {
  BitVector result;
  while (result.size() < bits) {
    const std::uint64_t word = number % 4 == 0   ? 0x5555555555555555ull
                               : number % 4 == 1 ? 0xFFFFFFFF00000001ull
                               : number % 4 == 2 ? 0x00000000FFFFFFFEull
                                                 : random();
    result.appendBits(word, std::min<std::size_t>(64, bits - result.size()));
  }
  return result;
}

ClockSample tryRate(Probe& probe, jtag::Chain& chain, std::uint32_t hz, const ClockSearchOptions& options) {
  ClockSample sample;
  std::mt19937_64 random(hz);  // NOLINT: the same patterns each time are wanted
  std::vector<BitVector> sent;
  jtag::ScanBatch batch;
  for (int i = 0; i < options.patterns; ++i) {
    sent.push_back(pattern(i, options.patternBits, random));
    BitVector out = sent.back();
    out.appendFill(false, chain.size());
    batch.exchange(jtag::Register::Data, std::move(out));
  }
  chain.bypassAll();
  probe.setClock(hz);
  sample.hz = probe.clockHz();
  const jtag::ScanAnswers answers = tapOf(probe).run(batch);
  for (std::size_t i = 0; i < sent.size(); ++i) {
    for (std::size_t at = 0; at < options.patternBits; at += 64) {
      const std::size_t count = std::min<std::size_t>(64, options.patternBits - at);
      sample.wrong += static_cast<std::uint64_t>(
          std::popcount(answers.at(i).bits(chain.size() + at, count) ^ sent[i].bits(at, count)));
    }
    sample.bits += options.patternBits;
  }
  return sample;
}

}  // namespace

std::uint32_t suggestedClock(const std::vector<ClockSample>& samples, std::uint32_t limitHz) {
  double ceiling = limitHz == 0 ? 1e12 : limitHz;
  for (const ClockSample& s : samples) {
    if (!s.sound()) ceiling = std::min(ceiling, kMargin * s.hz);
  }
  std::uint32_t best = 0;
  for (const ClockSample& s : samples) {
    if (s.sound() && s.hz <= ceiling) best = std::max(best, s.hz);
  }
  return best;
}

ClockSearch searchClock(Probe& probe, jtag::Chain& chain, const ClockSearchOptions& options,
                        const std::stop_token& stop) {
  ClockSearch search;
  search.limitHz = options.limitHz;
  probe.setClock(options.from);
  search.slowHz = probe.clockHz();
  const BitVector ids = readIds(probe, chain.size());
  int failed = 0;
  for (const std::uint32_t hz : kRates) {
    if (hz < options.from || hz > options.to || failed == 2) continue;
    if (stop.stop_requested())
      throw Error(ErrorKind::Stopped, "stopped while the clock was looked for; nothing was changed");
    probe.setClock(options.from);
    chain.forget();
    ClockSample sample = tryRate(probe, chain, hz, options);
    probe.setClock(options.from);
    chain.forget();
    sample.idsEqual = readIds(probe, chain.size()) == ids;
    if (!search.samples.empty() && sample.hz <= search.samples.back().hz) break;  // the probe has no more
    search.samples.push_back(sample);
    if (options.each) options.each(sample);
    if (sample.sound()) search.highestSound = sample.hz;
    if (!sample.sound()) ++failed;
  }
  chain.bypassAll();
  search.suggested = suggestedClock(search.samples, options.limitHz);
  const auto broke =
      std::find_if(search.samples.begin(), search.samples.end(), [](const ClockSample& s) { return !s.sound(); });
  if (search.suggested == 0) {
    search.why = fmt::format("bits are wrong even at {} MHz: look at cable and supply", search.slowHz / 1e6);
  } else if (broke != search.samples.end()) {
    search.why = fmt::format("the first errors are at {} MHz; this keeps a fifth below", broke->hz / 1e6);
  } else if (options.limitHz != 0 && search.highestSound > search.suggested) {
    search.why = fmt::format("no errors up to {} MHz, but a part's BSDL allows {} MHz", search.highestSound / 1e6,
                             options.limitHz / 1e6);
  } else {
    search.why = fmt::format("no errors up to {} MHz, the fastest that was tried", search.highestSound / 1e6);
  }
  return search;
}

}  // namespace imprimo::probe
