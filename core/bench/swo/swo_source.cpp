// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/swo/swo_source.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/number.h"

namespace imprimo::bench {
namespace {

constexpr std::uint32_t kUsualRate = 2'000'000;
/// A look at whether trace is still set up takes five accesses.
constexpr std::chrono::milliseconds kBetweenLooks{100};
/// So many looks in a row with errors are a rate that no longer fits.
constexpr int kPatience = 3;

probe::SwoCoding codingOf(const sheet::SwoWish& wish) {
  return wish.manchester ? probe::SwoCoding::Manchester : probe::SwoCoding::Uart;
}

/// Three digits are known of what was found.
std::string measured(double hz) {
  const double unit = std::pow(10, std::floor(std::log10(hz)) - 2);
  return hertzText(std::round(hz / unit) * unit);
}

}  // namespace

SwoSource::SwoSource(BenchCore& core, sheet::SwoWish wish)
    : core_(core), wish_(std::move(wish)), port_(probe::swoOf(core.probe())), target_(core) {
  if (wish_.clock == 0) wish_.clock = core.card().trace.clock;
  if (wish_.rate == 0) wish_.rate = kUsualRate;
  setUp();
}

void SwoSource::setUp() {
  core_.requireOpen();
  const std::uint32_t expected = rate_.clockHz != 0 ? rate_.clockHz : wish_.clock;
  target_.open(codingOf(wish_));
  try {
    rate_ = SwoRateSearch(core_, target_, port_, codingOf(wish_)).find(wish_.rate, expected);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Refused) target_.close();
    throw;
  }
  std::string note = rate_.clockHz == 0 ? fmt::format("trace is listened to with {} clocks a bit", rate_.divider)
                                        : fmt::format("trace comes with {}, from a clock of {}", measured(rate_.hz),
                                                      measured(rate_.clockHz));
  if (wish_.clock != 0 && rate_.clockHz != wish_.clock && rate_.clockHz != 0)
    note += fmt::format(" and not of {}", hertzText(wish_.clock));
  if (note != said_) note_ = said_ = std::move(note);
  constexpr std::uint32_t kAll = 0xFFFFFFFF;
  target_.openPorts(kAll);
  stream_.restart();
  wrong_ = 0;
  lookedAt_ = core_.now();
}

std::vector<console::Heard> SwoSource::hear() {
  core_.requireOpen();
  std::vector<console::Heard> all;
  const auto say = [&](std::string what) {
    all.push_back({"itm"});
    all.back().note = std::move(what);
  };
  const probe::SwoPort::Caught caught = port_.take();
  const console::ItmStream::News news = stream_.add(caught.bytes);
  if (!note_.empty()) say(std::exchange(note_, {}));
  for (console::Heard& heard : console::itmHeard(news.writes, wish_.ports)) all.push_back(std::move(heard));
  if (news.overflows > 0) say("some of what was said found no room on the target");
  if (caught.overrun) say("some of what came found no room in the probe");
  if (caught.error || news.strange > 0) {
    ++wrong_;
  } else if (!caught.bytes.empty()) {
    wrong_ = 0;
  }
  const bool due = core_.now() - lookedAt_ >= kBetweenLooks;
  if (due) lookedAt_ = core_.now();
  if (!due || (wrong_ < kPatience && target_.holds())) return all;
  try {
    setUp();
  } catch (const Error& e) {
    // Other sources go on meanwhile, and looking takes its time.
    if (e.kind() != ErrorKind::Refused) throw;
    constexpr std::chrono::seconds kLater{3};
    lookedAt_ = core_.now() + kLater;
    say(e.full());
  }
  return all;
}

void SwoSource::end() {
  port_.end();
  target_.close();
}

}  // namespace imprimo::bench
