// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_console.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"

namespace imprimo::bench {
namespace {

/// A search reads all of the RAM: it is given half of the time at most, and less where that is small.
constexpr std::chrono::nanoseconds kBetweenSearches = std::chrono::milliseconds(20);

constexpr std::uint32_t kControl = debug::Core::kControlRegister, kSelector = 0xE000EDF4, kData = 0xE000EDF8,
                        kFaults = 0xE000ED30;
constexpr std::uint32_t kKey = 0xA05F0000, kDebugEnable = 1, kRegisterReady = 1u << 16, kWriteRegister = 1u << 16,
                        kWasReset = 1u << 25, kBreakpoint = 2;
constexpr std::uint32_t kProgramCounter = 15;
constexpr std::uint16_t kHostCall = 0xBEAB;  // BKPT 0xAB

}  // namespace

std::vector<AddressRange> ramOf(const debug::CoreCard& card) {
  std::vector<AddressRange> ram;
  for (const debug::CoreRegion& region : card.regions) {
    if (!region.flash) ram.push_back(region.range);
  }
  return ram;
}

RingSource::RingSource(BenchCore& core) : core_(core), bus_(core), ram_(ramOf(core.card())) {
  if (ram_.empty())
    throw Error(ErrorKind::Refused, fmt::format("the card of {} names no RAM, and a ring lies in RAM", core.name()),
                "Add its RAM to the regions of the card.");
}

void RingSource::look() {
  const std::chrono::nanoseconds now = core_.now();
  if (looked_ && now - lookedAt_ < std::max(kBetweenSearches, lookTook_)) return;
  for (console::ConsoleRing& ring : console::findRings(bus_, ram_, [] { return true; })) {
    const auto same = [&](const Known& known) { return known.ring.at() == ring.at(); };
    const auto known = std::find_if(rings_.begin(), rings_.end(), same);
    if (known != rings_.end()) {
      known->gone = false;
      continue;
    }
    std::string channel = rings_.empty() ? "ring" : fmt::format("ring {}", rings_.size() + 1);
    rings_.push_back({std::move(ring), std::move(channel)});
  }
  looked_ = true;
  lookedAt_ = core_.now();
  lookTook_ = lookedAt_ - now;
}

std::vector<console::Heard> RingSource::hear() {
  core_.requireOpen();
  std::vector<console::Heard> all;
  const auto gone = [](const Known& known) { return known.gone; };
  if (rings_.empty() || std::any_of(rings_.begin(), rings_.end(), gone)) look();
  for (Known& known : rings_) {
    try {
      console::RingNews news = known.ring.take(bus_);
      known.gone = !news.there;
      if (news.bytes.empty() && news.lost == 0 && !news.began) continue;
      console::Heard heard{known.channel};
      heard.bytes = std::move(news.bytes);
      heard.lost = news.lost;
      heard.began = news.began;
      all.push_back(std::move(heard));
    } catch (const debug::BusFault&) {
      known.gone = true;  // its RAM is off just now
    }
  }
  return all;
}

std::size_t RingSource::tell(ByteSpan bytes) {
  if (rings_.empty()) look();
  return rings_.empty() ? 0 : rings_.front().ring.give(bus_, bytes);
}

void SemihostingSource::end() {
  if (switchedOn_ && !debug::Core::standsBy(control())) core_.bus().writeWord(kControl, kKey);
  switchedOn_ = false;
}

/// That the core was reset is told only once, and others go by it too.
std::uint32_t SemihostingSource::control() {
  const std::uint32_t value = core_.bus().readWord(kControl);
  core_.core().noteControl(value);
  return value;
}

void SemihostingSource::letRun(BenchCore& core, bool debug) {
  core.bus().writeWord(kControl, kKey | (debug ? kDebugEnable : 0));
}

std::uint32_t SemihostingSource::registerOf(std::uint32_t selector) {
  debug::MemAp& bus = core_.bus();
  bus.writeWord(kSelector, selector);
  for (int tries = 0; (control() & kRegisterReady) == 0; ++tries) {
    if (tries > 100)
      throw Error(ErrorKind::Refused, fmt::format("{} does not hand out its registers", core_.name()),
                  "Reset the board.");
  }
  return bus.readWord(kData);
}

void SemihostingSource::setRegister(std::uint32_t selector, std::uint32_t value) {
  debug::MemAp& bus = core_.bus();
  bus.writeWord(kData, value);
  bus.writeWord(kSelector, kWriteRegister | selector);
}

std::vector<console::Heard> SemihostingSource::hear() {
  core_.requireOpen();
  debug::MemAp& bus = core_.bus();
  std::vector<console::Heard> all;
  // As many as came while nobody looked; one at a time, since the core waits for each.
  constexpr int kInARow = 64;
  for (int i = 0; i < kInARow; ++i) {
    const std::uint32_t now = control();
    if ((now & kDebugEnable) == 0) {
      switchedOn_ = true;
      letRun(core_);  // debug was switched off by a reset, or nobody asked before
      break;
    }
    // Somebody has restarted it; it may stand at its next call by now.
    ended_ = ended_ && debug::Core::standsBy(now) && (now & kWasReset) == 0;
    if (ended_ || !debug::Core::standsBy(now)) break;
    const std::uint32_t pc = registerOf(kProgramCounter);
    Bytes code(2);
    bus.readEach(pc & ~1u, code, 2);
    if ((bus.readWord(kFaults) & kBreakpoint) == 0 || loadLe16(code.data()) != kHostCall) {
      ended_ = true;
      all.push_back({"semihosting"});
      all.back().note = fmt::format("{} stands at {}, and not for a semihosting call", core_.name(), hexAddress(pc));
      break;
    }
    console::Semihosting::Answer answer =
        console::Semihosting::answer({registerOf(0), registerOf(1)}, bus_, core_.now() - began_);
    all.push_back(std::move(answer.heard));
    ended_ = !answer.goesOn;
    if (ended_) break;
    setRegister(0, answer.result);
    setRegister(kProgramCounter, pc + 2);
    bus.writeWord(kFaults, kBreakpoint);
    letRun(core_);
  }
  return all;
}

}  // namespace imprimo::bench
