// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/bench_memory.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/bench/on_paper.h"
#include "core/bench/route_kinds.h"
#include "core/bench/route_load.h"

namespace imprimo::bench {

BenchMemory::BenchMemory(BenchState& state, std::string name) : state_(state), name_(std::move(name)) {}
BenchMemory::~BenchMemory() = default;

BenchMemory::Opened& BenchMemory::open() {
  state_.useClock(entry().clockHz);
  if (!opened_) opened_ = std::make_unique<Opened>();
  if (!opened_->route) {
    const sheet::Route& route = *entry().route;
    const std::string device = route.position == 0 ? "" : state_.sheet.chain[route.position - 1].name;
    opened_->route = routeKind(entry()).open(route, *state_.chain, device);
  }
  return *opened_;
}

Route& BenchMemory::route() {
  const sheet::Route& way = *entry().route;
  Route& route = *open().route;
  try {
    route.greet();
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoBridge || !way.load) throw;
    const std::string& device = state_.sheet.chain[way.position - 1].name;
    if (!state_.tellLoading) {
      throw Error(ErrorKind::NoBridge,
                  fmt::format("{} is reached through {}, whose bridge is not loaded", name_, device),
                  fmt::format("Load the bridge ({}); the design that runs in {} stops then.", *way.load, device));
    }
    state_.tellLoading(fmt::format("loading the bridge into {}; the design that runs there stops", device));
    NoProgress nobody;
    loadRoute(nobody);
  }
  return *open().route;
}

flash::FlashEvidence BenchMemory::ask() {
  return flash::askFlash(route().port(), name_, std::nullopt);
}

std::optional<bool> BenchMemory::wrapsAt(std::uint64_t size) {
  constexpr std::size_t kBytes = 4096;
  if (size == 0 || size >= memory::kThreeByteReach) return std::nullopt;
  const auto read = [&](std::uint64_t at) {
    return Bytes{0x03, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8),
                 static_cast<std::uint8_t>(at)};
  };
  spi::SpiBatch batch;
  batch.exchange(read(0), kBytes);
  batch.exchange(read(size), kBytes);
  const spi::SpiAnswers answers = route().port().run(batch);
  const Bytes& low = answers.answers.at(0);
  if (std::all_of(low.begin(), low.end(), [&](std::uint8_t b) { return b == low[0]; })) return std::nullopt;
  return low == answers.answers.at(1);
}

const flash::FlashIdentity& BenchMemory::identify() {
  std::optional<flash::PartCard> card;
  if (entry().partCard) card = namedCard(state_.sheet, entry());
  if (identified()) leaveModes();
  route();
  Opened& opened = *opened_;
  spi::SpiPort& port = opened.route->port();
  opened.continuity = opened.route->renewMark(mark_);
  flash::FlashIdentity identity = flash::identifyFlash(port, name_, card, state_.find.card);
  const auto alike = [&](const flash::FlashIdentity& other) {
    return other.id == identity.id && other.geometry == identity.geometry && other.uniqueId == identity.uniqueId;
  };
  const bool same = opened.memory && alike(opened.identity);
  if (before_) {
    if (!opened.memory && alike(before_->identity)) opened.contents = std::move(before_->contents);
    before_.reset();
  } else if (!same) {
    opened.contents = {};
  }
  if (opened.continuity != memory::Continuity::Unbroken) opened.contents.doubt();
  opened.identity = std::move(identity);
  if (same) {
    opened.memory->setFound(opened.identity.found);
  } else {
    opened.memory = std::make_unique<flash::SpiNor>(port, opened.identity.geometry, name_, opened.identity.found);
  }
  opened.memory->enterModes();
  if (opened.identity.protection) opened.registers = flash::readRegisters(port, opened.identity.registers);
  return opened.identity;
}

memory::Continuity BenchMemory::continuity() const {
  return opened_ ? opened_->continuity : memory::Continuity::First;
}

void BenchMemory::setFoundModes(const flash::FoundModes& found) {
  opened().memory->setFound(found);
}

memory::CopyOf BenchMemory::copyOf(bool unfinished) {
  const flash::FlashIdentity& own = identity();
  memory::CopyOf of{name_, state_.sheet.title, own.id.text(), own.id.bank, own.geometry.size};
  for (const std::uint8_t b : own.uniqueId) of.uniqueId += fmt::format("{:02x}", b);
  of.unfinished = unfinished;
  return of;
}

void BenchMemory::leaveModes() {
  if (!identified()) return;
  state_.useClock(entry().clockHz);
  opened_->memory->leaveModes();
}

const std::vector<std::uint8_t>& BenchMemory::readRegisters() {
  Opened& memory = ready();
  return memory.registers = flash::readRegisters(memory.route->port(), memory.identity.registers);
}

const std::vector<std::uint8_t>& BenchMemory::registers() {
  return opened().registers;
}

void BenchMemory::writeRegister(std::size_t index, std::uint8_t value) {
  Opened& memory = ready();
  memory.memory->wasEnabled();
  memory.registers = flash::writeRegister(memory.route->port(), memory.identity.registers, index, value,
                                          memory.identity.geometry.ready);
}

bool BenchMemory::identified() const {
  return opened_ && opened_->memory != nullptr;
}

BenchMemory::Opened& BenchMemory::opened() {
  if (!identified()) identify();
  state_.useClock(entry().clockHz);
  return *opened_;
}

BenchMemory::Opened& BenchMemory::ready() {
  Opened& memory = opened();
  if (!memory.memory->inItsModes()) memory.memory->enterModes();
  return memory;
}

memory::Memory& BenchMemory::memory() {
  return *ready().memory;
}
const flash::FlashIdentity& BenchMemory::identity() {
  return opened().identity;
}
memory::KnownContents& BenchMemory::contents() {
  return opened().contents;
}

void BenchMemory::doubt() {
  if (opened_) opened_->contents.doubt();
}

void BenchMemory::putAway() {
  if (identified()) {
    opened_->contents.doubt();
    before_ = {opened_->identity, std::move(opened_->contents)};
  }
  opened_.reset();
}

bool BenchMemory::routeAnswers() {
  try {
    open().route->greet();
    return true;
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoBridge) throw;
    return false;
  }
}

std::string BenchMemory::loadRoute(Progress& progress) {
  const sheet::Route& way = *entry().route;
  if (routeAnswers()) return state_.loaded.contains(way.position) ? "still there from before" : "one answers already";
  const bool again = state_.loaded.erase(way.position) > 0;
  for (auto& [other, memory] : state_.memories) {
    if (memory->entry().route->position != way.position) continue;
    memory->doubt();
    memory->mark_ = {};
  }
  const RouteLoad load = readRouteLoad(state_.sheet, way, state_.find.configCard);
  const std::string& device = load.target.name;
  jtag::Chain& chain = *state_.chain;
  // A device that started by itself meanwhile may be in another TAP state than the rest.
  chain.port().run(jtag::ScanBatch().reset());
  const auto procedure = load.procedure(load.target, state_.probe->clockHz());
  state_.stoppedDesigns.insert(device);
  try {
    for (std::size_t i = 0; i < procedure->stages().size(); ++i) {
      const configure::StageResult result = procedure->carryOut(i, chain, progress);
      if (result.mismatch) throw Error(ErrorKind::NotProgrammed, result.mismatch->text());
    }
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NotProgrammed) {
      throw Error(e.kind(), fmt::format("{}, while the bridge was loaded into {}", e.what(), device),
                  fmt::format("{} has no design now, and no flash command was sent: nothing was written. {}", device,
                              e.remedy()));
    }
    procedure->leave(chain);
    throw Error(ErrorKind::NoBridge, fmt::format("the bridge {} could not be loaded: {}", *way.load, e.full()),
                fmt::format("{} has no design now. No flash command was sent.", device));
  }
  chain.forget();
  open().route->wake();
  state_.loaded.insert(way.position);
  return again ? "it was gone and is loaded again; the design that ran there has stopped"
               : "the design that ran there has stopped";
}

}  // namespace imprimo::bench
