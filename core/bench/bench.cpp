// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/bench.h"
#include "core/bench/pins/pin_route.h"

#include <fmt/format.h>

#include <algorithm>
#include <thread>
#include <utility>

#include "core/base/error.h"
#include "core/jtag/await_target.h"

namespace imprimo::bench {
namespace {

std::vector<std::uint32_t> lengthsOf(const sheet::Sheet& sheet) {
  std::vector<std::uint32_t> lengths;
  for (const sheet::Device& device : sheet.chain) lengths.push_back(device.irLength);
  return lengths;
}

/// Stands in for a probe that could not be opened again, so that everything said to it is answered by that.
class LostProbe : public probe::Probe, public probe::TapPort {
 public:
  jtag::ScanAnswers run(const jtag::ScanBatch&) override { lost(); }
  std::uint32_t clockHz() const override { return 1; }
  const probe::ProbeInfo& info() const override { return info_; }
  void setClock(std::uint32_t) override { lost(); }
  std::chrono::microseconds roundTrip() override { lost(); }
  std::vector<BitVector> clockRaw(std::span<const probe::RawClocks>) override { lost(); }
  probe::TapPort* tap() override { return this; }

 private:
  [[noreturn]] static void lost() { throw Error(ErrorKind::LinkLost, "the link was lost", "Connect again."); }
  probe::ProbeInfo info_;
};

}  // namespace

std::vector<jtag::ExpectedDevice> expectedChain(const sheet::Sheet& sheet) {
  std::vector<jtag::ExpectedDevice> devices;
  for (const sheet::Device& device : sheet.chain) devices.push_back({device.name, device.idcodes, device.irLength});
  return devices;
}

Bench::Bench(sheet::Sheet sheet, std::unique_ptr<probe::Probe> probe) {
  state_.sheet = std::move(sheet);
  state_.probe = std::move(probe);
  makeChain();
  state_.clockHz = state_.probe->clockHz();
}

/// A sheet whose parts are all reached by SWD has none.
void Bench::makeChain() {
  state_.pins.reset();
  if (state_.sheet.onlySwd()) return;
  state_.chain = std::make_unique<jtag::Chain>(probe::tapOf(*state_.probe), lengthsOf(state_.sheet));
}

BenchMemory& Bench::at(const std::string& memory) {
  std::unique_ptr<BenchMemory>& known = state_.memories[state_.sheet.memory(memory).name];
  if (!known) known = std::make_unique<BenchMemory>(state_, memory);
  return *known;
}

jtag::Chain& Bench::chain() {
  if (state_.chain) return *state_.chain;
  throw Error(ErrorKind::Refused, "the sheet has no chain: what it has is reached by SWD");
}

BenchCore& Bench::core(const std::string& name) {
  BenchCore& core = state_.core(name);
  core.connect();
  return core;
}

void Bench::onlyAttach() {
  state_.onlyAttach = true;
  for (auto& [name, core] : state_.cores) core->onlyAttach();
}

bool Bench::identified(const std::string& memory) const {
  const auto found = state_.memories.find(memory);
  return found != state_.memories.end() && found->second->identified();
}

void Bench::setSheet(sheet::Sheet sheet) {
  state_.sheet = std::move(sheet);
  devices_.forgetConfigs();
}

void Bench::withTrial(const sheet::Sheet& trial, const std::string& memory,
                      const std::function<void(BenchMemory&)>& act) {
  const sheet::Sheet before = std::exchange(state_.sheet, trial);
  const auto forget = [&] {
    state_.memories.erase(memory);  // its modes are put back
    std::erase_if(state_.cores, [&](const auto& core) {
      const auto& known = before.cores;
      return std::none_of(known.begin(), known.end(), [&](const auto& entry) { return entry.name == core.first; });
    });
    state_.sheet = before;
    devices_.forgetConfigs();
  };
  try {
    devices_.forgetConfigs();
    act(at(memory));
  } catch (...) {
    forget();
    throw;
  }
  forget();
}

void Bench::doubtAll() {
  // Before memories are left, the way to them has to be selected anew.
  if (state_.chain) state_.chain->forget();
  state_.putMemoriesAway();
  state_.forgetMarks();
  state_.loaded.clear();
}

jtag::FoundChain Bench::examine() {
  state_.useClock();
  if (!state_.chain) {
    state_.connectCores();
    return {};
  }
  if (!state_.holdsReset()) return lookAtChain();
  if (state_.onlyAttach) {
    try {
      return lookAtChain();
    } catch (const jtag::BrokenChain&) {
      // A core of it may not let itself be reached otherwise.
    }
  }
  const ResetHold hold(*state_.probe);
  jtag::FoundChain found = lookAtChain();
  for (const sheet::CoreEntry& entry : state_.sheet.cores) {
    if (entry.connect == sheet::CoreEntry::Connect::UnderReset) core(entry.name);
  }
  return found;
}

jtag::FoundChain Bench::lookAtChain() {
  state_.chain->forget();
  try {
    return jtag::examine(probe::tapOf(*state_.probe), [this](std::uint32_t idcode) -> const bsdl::BoundaryDescription* {
      for (const sheet::Device& device : state_.sheet.chain) {
        if (device.description && device.description->matchesIdcode(idcode)) return device.description.get();
      }
      return nullptr;
    });
  } catch (const jtag::BrokenChain& broken) {
    if (broken.dead() && state_.probe->targetPowered() == false) {
      throw jtag::BrokenChain(
          broken.how(),
          fmt::format("{}, and the adapter's sense input says that the target has no power", broken.what()),
          "Switch the target on.");
    }
    throw jtag::located(expectedChain(state_.sheet), broken);
  }
}

void Bench::waitForTarget(std::chrono::seconds limit, const std::function<void(double)>& told,
                          const std::stop_token& stop) {
  if (!state_.chain) return waitForCores(limit, told, stop);
  jtag::awaitTarget(
      probe::tapOf(*state_.probe), limit, [this] { examine(); }, told, stop);
}

/// The same by the host's clock.
void Bench::waitForCores(std::chrono::seconds limit, const std::function<void(double)>& told,
                         const std::stop_token& stop) {
  using Clock = std::chrono::steady_clock;
  constexpr std::chrono::milliseconds kBetween{50};
  for (const auto end = Clock::now() + limit;;) {
    try {
      examine();
      return;
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::BrokenChain || Clock::now() >= end) throw;
    }
    if (stop.stop_requested())
      throw Error(ErrorKind::Stopped, "stopped while waiting for the target", "Nothing was touched.");
    if (told) told(std::chrono::duration<double>(end - Clock::now()).count());
    std::this_thread::sleep_for(kBetween);
  }
}

void Bench::requireAlive() {
  if (!state_.chain) return state_.connectCores();
  try {
    examine();
  } catch (const jtag::BrokenChain& broken) {
    if (!broken.dead()) throw;
    throw jtag::BrokenChain(
        broken.how(), fmt::format("the target lost its power in the middle, or its cable came off ({})", broken.what()),
        broken.remedy());
  }
}

void Bench::setClock(std::uint32_t hz) {
  state_.probe->setClock(hz);
  state_.clockHz = state_.probe->clockHz();
}

jtag::FoundChain Bench::checkChain() {
  jtag::FoundChain found = examine();
  if (!state_.chain) return found;
  jtag::requireMatch(expectedChain(state_.sheet), found);
  return found;
}

jtag::PatternCheck Bench::checkLink(int rounds) {
  if (!state_.chain) return {};
  state_.useClock();
  return jtag::checkPattern(*state_.chain, rounds);
}

void Bench::reconnect() {
  if (!reopen_) throw Error(ErrorKind::LinkLost, "the link was lost", "Connect again.");
  state_.putMemoriesAway();
  state_.loaded.clear();
  state_.cores.clear();
  state_.pins.reset();
  state_.chain.reset();
  state_.probe.reset();
  try {
    state_.probe = reopen_();
  } catch (...) {
    state_.probe = std::make_unique<LostProbe>();
    makeChain();
    throw;
  }
  makeChain();
  if (state_.probe->clockHz() != state_.clockHz) state_.probe->setClock(state_.clockHz);
  checkChain();
}

void BenchState::useClock(std::optional<std::uint32_t> most) {
  const std::uint32_t hz = std::min(clockHz, most.value_or(clockHz));
  if (probe->clockHz() != hz) probe->setClock(hz);
}

void BenchState::putMemoriesAway() {
  for (auto& [name, memory] : memories) memory->putAway();
}

std::unique_ptr<pins::PinScan> Bench::openPins(std::size_t position) {
  chain();  // or it says that there is none
  return bench::openPins(state_, position);
}

pins::PinScan& Bench::pins(std::size_t position, std::size_t also) {
  const bool same =
      state_.pins && state_.pins->position() == position &&
      (also == 0 ? state_.otherPins == nullptr : state_.otherPins && state_.otherPins->position() == also);
  if (!same) {
    letPinsGo();
    state_.pins = openPins(position);
    if (also != 0) state_.otherPins = openPins(also);
    state_.pins->setCompanion(state_.otherPins.get());
  }
  return *state_.pins;
}

const pins::PinScan* Bench::otherPins() const {
  return state_.otherPins.get();
}

void Bench::letPinsGo() {
  if (state_.pins && state_.pins->drives()) state_.pins->letGo();
  state_.pins.reset();
  state_.otherPins.reset();
}

BenchCore& BenchState::core(const std::string& name) {
  std::unique_ptr<BenchCore>& known = cores[sheet.core(name).name];
  if (!known) {
    const sheet::CoreEntry& entry = sheet.core(name);
    known = std::make_unique<BenchCore>(sheet, entry, *probe, portOf(entry));
    known->setSerial(find.serial);
    if (onlyAttach) known->onlyAttach();
    if (entry.startedBy) {
      known->startBy([this, by = *entry.startedBy] {
        BenchCore& first = core(by.core);
        first.connect();
        first.requireOpen();
        first.bus().writeWord(by.at, by.value);
      });
    }
  }
  return *known;
}

std::shared_ptr<CorePort> BenchState::portOf(const sheet::CoreEntry& entry) {
  for (const auto& [name, other] : cores) {
    if (other && samePort(other->entry(), entry)) return other->way();
  }
  return makeCorePort(sheet, entry, *probe, chain.get());
}

bool BenchState::holdsReset() const {
  return std::any_of(sheet.cores.begin(), sheet.cores.end(), [&](const sheet::CoreEntry& entry) {
    const auto known = cores.find(entry.name);
    return entry.connect == sheet::CoreEntry::Connect::UnderReset &&
           (known == cores.end() || !known->second->isAttached());
  });
}

void BenchState::connectCores() {
  for (const sheet::CoreEntry& entry : sheet.cores) core(entry.name).connect();
}

void BenchState::forgetMarks() {
  for (auto& [name, memory] : memories) memory->mark_ = {};
}

}  // namespace imprimo::bench
