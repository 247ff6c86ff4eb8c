// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/bench.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/bench/on_paper.h"
#include "core/flash/link_check.h"
#include "core/jtag/await_target.h"

namespace imprimo::bench {
namespace {

std::vector<std::uint32_t> lengthsOf(const sheet::Sheet& sheet) {
  std::vector<std::uint32_t> lengths;
  for (const sheet::Device& device : sheet.chain) lengths.push_back(device.irLength);
  return lengths;
}

/// Stands in for a probe that could not be opened again, so that everything said to it is answered by that.
class LostProbe : public probe::Probe {
 public:
  jtag::ScanAnswers run(const jtag::ScanBatch&) override { lost(); }
  std::uint32_t clockHz() const override { return 1; }
  const probe::ProbeInfo& info() const override { return info_; }
  void setClock(std::uint32_t) override { lost(); }
  void pulseReset(std::chrono::milliseconds) override { lost(); }
  std::chrono::microseconds roundTrip() override { lost(); }
  std::vector<BitVector> clockRaw(std::span<const probe::RawClocks>) override { lost(); }

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

Bench::Bench(sheet::Sheet sheet, std::unique_ptr<probe::Probe> probe)
    : sheet_(std::move(sheet)),
      probe_(std::move(probe)),
      chain_(std::make_unique<jtag::Chain>(*probe_, lengthsOf(sheet_))),
      clockHz_(probe_->clockHz()) {}

jtag::FoundChain Bench::examine() {
  chain_->forget();
  useClockOf({});
  try {
    return jtag::examine(*probe_, [this](std::uint32_t idcode) -> const bsdl::BoundaryDescription* {
      for (const sheet::Device& device : sheet_.chain) {
        if (device.description && device.description->matchesIdcode(idcode)) return device.description.get();
      }
      return nullptr;
    });
  } catch (const jtag::BrokenChain& broken) {
    if (broken.dead() && probe_->targetPowered() == false) {
      throw jtag::BrokenChain(
          broken.how(),
          fmt::format("{}, and the adapter's sense input says that the target has no power", broken.what()),
          "Switch the target on.");
    }
    throw jtag::located(expectedChain(sheet_), broken);
  }
}

void Bench::waitForTarget(std::chrono::seconds limit, const std::function<void(double)>& told, std::stop_token stop) {
  jtag::awaitTarget(
      *probe_, limit, [this] { examine(); }, told, std::move(stop));
}

void Bench::requireAlive() {
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
  probe_->setClock(hz);
  clockHz_ = probe_->clockHz();
}

void Bench::useClockOf(const std::string& name) {
  std::uint32_t hz = clockHz_;
  if (!name.empty()) hz = std::min(hz, sheet_.memory(name).clockHz.value_or(hz));
  if (probe_->clockHz() != hz) probe_->setClock(hz);
}

ClockReport Bench::findClock(const std::function<void(const probe::ClockSample&)>& each, std::stop_token stop) {
  probe::ClockSearchOptions options;
  options.each = each;
  double limit = 0;
  for (const sheet::Device& device : sheet_.chain) {
    const double own = device.description ? device.description->tap.highestClock : 0;
    if (own > 0 && (limit == 0 || own < limit)) limit = own;
  }
  options.limitHz = static_cast<std::uint32_t>(limit);
  ClockReport report;
  const std::uint32_t before = clockHz_;
  const auto putBack = [&] {
    clockHz_ = before;
    useClockOf({});
  };
  try {
    report.chain = probe::searchClock(*probe_, *chain_, options, stop);
    clockHz_ = report.chain.slowHz;  // memories are identified at the clock that is known to be sound
    for (const sheet::MemoryEntry& entry : sheet_.memories)
      report.memories[entry.name] = findClockOf(entry.name, report.chain, stop);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::LinkLost) putBack();
    throw;
  }
  putBack();
  return report;
}

MemoryClock Bench::findClockOf(const std::string& name, const probe::ClockSearch& chain, std::stop_token stop) {
  constexpr int kReads = 40;
  MemoryClock result;
  try {
    useClockOf({});
    ready(name);
    spi::BridgePort& port = *opened_.at(name).port;
    port.hello();
    const Bytes signature = flash::readSignature(port);
    std::uint32_t failed = 0;
    for (const probe::ClockSample& sample : chain.samples) {
      if (sample.hz > chain.suggested || failed != 0) break;
      if (stop.stop_requested())
        throw Error(ErrorKind::Stopped, "stopped while the clock was looked for; nothing was changed");
      // The bridge's instruction was loaded at the slow clock and stays; only data goes at this one.
      probe_->setClock(sample.hz);
      const int equal = flash::equalSignatures(port, signature, kReads);
      probe_->setClock(chain.slowHz);
      if (equal != kReads) {
        failed = sample.hz;
        chain_->forget();
        port.hello();
        flash::readSignature(port);
      }
      result.samples.push_back({sample.hz, kReads, equal});
    }
    std::vector<probe::ClockSample> asChain;
    for (const MemoryClockSample& s : result.samples) {
      asChain.push_back(
          {s.hz, static_cast<std::uint64_t>(s.reads), static_cast<std::uint64_t>(s.reads - s.equal), true});
    }
    result.suggested = probe::suggestedClock(asChain, chain.suggested);
    result.why = failed == 0
                     ? fmt::format("ID and parameter header are the same in {} reads at every clock up to it", kReads)
                     : fmt::format("at {} MHz ID or parameter header change; this keeps a fifth below", failed / 1e6);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::LinkLost || e.kind() == ErrorKind::Stopped) throw;
    result.problem = e.what();
    useClockOf({});
  }
  return result;
}

jtag::FoundChain Bench::checkChain() {
  jtag::FoundChain found = examine();
  jtag::requireMatch(expectedChain(sheet_), found);
  return found;
}

jtag::PatternCheck Bench::checkLink(int rounds) {
  useClockOf({});
  return jtag::checkPattern(*chain_, rounds);
}

spi::BridgePort& Bench::route(const std::string& name) {
  const sheet::BridgeRoute& route = bridgeRoute(name);
  spi::BridgePort& port = bridgePort(name);
  try {
    port.hello();
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoBridge || !route.load) throw;
    const std::string& device = sheet_.chain[route.position - 1].name;
    if (!tellLoading_) {
      throw Error(ErrorKind::NoBridge,
                  fmt::format("{} is reached through {}, whose bridge is not loaded", name, device),
                  fmt::format("Load the bridge ({}); the design that runs in {} stops then.", *route.load, device));
    }
    tellLoading_(fmt::format("loading the bridge into {}; the design that runs there stops", device));
    NoProgress nobody;
    loadBridge(name, nobody);
  }
  return port;
}

flash::FlashEvidence Bench::ask(const std::string& name) {
  return flash::askFlash(route(name), name, std::nullopt);
}

std::optional<bool> Bench::wrapsAt(const std::string& name, std::uint64_t size) {
  constexpr std::size_t kBytes = 4096;
  if (size == 0 || size >= memory::kThreeByteReach) return std::nullopt;
  const auto read = [&](std::uint64_t at) {
    return Bytes{0x03, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8),
                 static_cast<std::uint8_t>(at)};
  };
  spi::SpiBatch batch;
  batch.exchange(read(0), kBytes);
  batch.exchange(read(size), kBytes);
  const spi::SpiAnswers answers = route(name).run(batch);
  const Bytes& low = answers.answers.at(0);
  if (std::all_of(low.begin(), low.end(), [&](std::uint8_t b) { return b == low[0]; })) return std::nullopt;
  return low == answers.answers.at(1);
}

const flash::FlashIdentity& Bench::identify(const std::string& name) {
  const sheet::MemoryEntry& entry = sheet_.memory(name);
  std::optional<flash::PartCard> card;
  if (entry.partCard) card = namedCard(sheet_, entry);
  if (const auto before = opened_.find(name); before != opened_.end() && before->second.memory) leaveModes(name);
  route(name);
  Opened& opened = opened_[name];
  spi::BridgeMark& mark = marks_[name];
  const bool first = mark.left.empty();
  const bool unbroken = opened.port->renewMark(mark);
  opened.continuity = unbroken          ? memory::Continuity::Unbroken
                      : !mark.supported ? memory::Continuity::NoMarks
                      : first           ? memory::Continuity::First
                                        : memory::Continuity::Broken;
  flash::FlashIdentity identity = flash::identifyFlash(*opened.port, name, card, findCard_);
  const auto alike = [&](const flash::FlashIdentity& other) {
    return other.id == identity.id && other.geometry == identity.geometry && other.uniqueId == identity.uniqueId;
  };
  const bool same = opened.memory && alike(opened.identity);
  if (const auto before = remembered_.find(name); before != remembered_.end()) {
    if (!opened.memory && alike(before->second.identity)) opened.contents = std::move(before->second.contents);
    remembered_.erase(before);
  } else if (!same) {
    opened.contents = {};
  }
  if (!unbroken) opened.contents.doubt();
  opened.identity = std::move(identity);
  if (same) {
    opened.memory->setFound(opened.identity.found);
  } else {
    opened.memory =
        std::make_unique<flash::SpiNor>(*opened.port, opened.identity.geometry, name, opened.identity.found);
  }
  opened.memory->enterModes();
  if (opened.identity.protection) opened.registers = flash::readRegisters(*opened.port, opened.identity.registers);
  return opened.identity;
}

memory::Continuity Bench::continuity(const std::string& name) const {
  const auto found = opened_.find(name);
  return found == opened_.end() ? memory::Continuity::First : found->second.continuity;
}

void Bench::setFoundModes(const std::string& name, const flash::FoundModes& found) {
  opened(name).memory->setFound(found);
}

memory::CopyOf Bench::copyOf(const std::string& name, bool unfinished) {
  const flash::FlashIdentity& device = identity(name);
  memory::CopyOf of{name, sheet_.title, device.id.text(), device.id.bank, device.geometry.size};
  for (const std::uint8_t b : device.uniqueId) of.uniqueId += fmt::format("{:02x}", b);
  of.unfinished = unfinished;
  return of;
}

void Bench::leaveModes(const std::string& name) {
  const auto found = opened_.find(name);
  if (found == opened_.end() || !found->second.memory) return;
  useClockOf(name);
  found->second.memory->leaveModes();
}

void Bench::reconnect() {
  if (!reopen_) throw Error(ErrorKind::LinkLost, "the link was lost", "Connect again.");
  putMemoriesAway();
  loaded_.clear();
  chain_.reset();
  probe_.reset();
  try {
    probe_ = reopen_();
  } catch (...) {
    probe_ = std::make_unique<LostProbe>();
    chain_ = std::make_unique<jtag::Chain>(*probe_, lengthsOf(sheet_));
    throw;
  }
  chain_ = std::make_unique<jtag::Chain>(*probe_, lengthsOf(sheet_));
  if (probe_->clockHz() != clockHz_) probe_->setClock(clockHz_);
  checkChain();
}

const std::vector<std::uint8_t>& Bench::readRegisters(const std::string& name) {
  Opened& memory = ready(name);
  return memory.registers = flash::readRegisters(*memory.port, memory.identity.registers);
}

const std::vector<std::uint8_t>& Bench::registers(const std::string& name) {
  return opened(name).registers;
}

void Bench::writeRegister(const std::string& name, std::size_t index, std::uint8_t value) {
  Opened& memory = ready(name);
  memory.memory->wasEnabled();
  memory.registers =
      flash::writeRegister(*memory.port, memory.identity.registers, index, value, memory.identity.geometry.ready);
}

plan::Knowledge Bench::knowledge(const std::string& name) {
  Opened& memory = opened(name);
  plan::Knowledge known;
  known.geometry = memory.identity.geometry;
  known.contents = &memory.contents.bytes();
  known.sure = &memory.contents.sure();
  known.answers = true;
  known.continuity = memory.continuity;
  known.speed = speed();
  known.protection = memory.identity.protection;
  if (known.protection) {
    known.protectionRegister =
        memory.registers.at(flash::registerNamed(memory.identity.registers, known.protection->inRegister));
  }
  return known;
}

bool Bench::identified(const std::string& name) const {
  const auto it = opened_.find(name);
  return it != opened_.end() && it->second.memory != nullptr;
}

Bench::Opened& Bench::opened(const std::string& name) {
  if (!identified(name)) identify(name);
  useClockOf(name);
  return opened_.at(name);
}

Bench::Opened& Bench::ready(const std::string& name) {
  Opened& memory = opened(name);
  if (!memory.memory->inItsModes()) memory.memory->enterModes();
  return memory;
}

memory::Memory& Bench::memory(const std::string& name) {
  return *ready(name).memory;
}
const flash::FlashIdentity& Bench::identity(const std::string& name) {
  return opened(name).identity;
}
memory::KnownContents& Bench::contents(const std::string& name) {
  return opened(name).contents;
}

memory::LinkSpeed Bench::speed() const {
  return {probe_->clockHz(), spi::bridge::kHeaderBits};
}

}  // namespace imprimo::bench
