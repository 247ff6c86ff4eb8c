// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/bench_memory.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/bench/memory_kinds.h"
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
    opened_->route = routeKind(entry()).open(route, state_, device);
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
    const char* loads = routeKind(entry()).loads;
    throw Error(ErrorKind::NoBridge,
                fmt::format("{} is reached through {}, whose {} is not loaded", name_, device, loads),
                fmt::format("Load the {} ({}); the design that runs in {} stops then.", loads, *way.load, device));
  }
  return *open().route;
}

const memory::Identity& BenchMemory::identify() {
  if (identified()) leaveModes();
  route();
  Opened& opened = *opened_;
  opened.continuity = opened.route->renewMark(mark_);
  const memory::Memory* old = opened.memory.get();
  const std::optional<memory::Identity> oldIdentity = old == nullptr ? std::nullopt : std::optional(old->identity());
  memoryKind(entry()).identify({state_.sheet, entry(), *opened.route, state_.find}, opened.memory);
  const memory::Identity& identity = opened.memory->identity();
  if (before_) {
    if (old == nullptr && before_->identity.samePart(identity)) opened.contents = std::move(before_->contents);
    before_.reset();
  } else if (!oldIdentity || !oldIdentity->samePart(identity)) {
    opened.contents = {};
  }
  if (opened.continuity != memory::Continuity::Unbroken) opened.contents.doubt();
  opened.memory->enterModes();
  if (identity.protection) opened.memory->registers()->read();
  return identity;
}

memory::Continuity BenchMemory::continuity() const {
  return opened_ ? opened_->continuity : memory::Continuity::First;
}

std::string BenchMemory::foundModes() const {
  return identified() ? opened_->memory->foundModes() : "";
}

void BenchMemory::setFoundModes(const std::string& json) {
  opened().memory->setFoundModes(json);
}

memory::ContinuityWords BenchMemory::continuityWords() const {
  return routeKind(entry()).continuity;
}

memory::LinkSpeed BenchMemory::speed() const {
  const RouteKind& kind = routeKind(entry());
  const double perByte =
      kind.clocksOfByte != nullptr ? kind.clocksOfByte(*entry().route, state_.sheet) : kind.clocksPerByte;
  return {state_.probe->clockHz(), kind.clocksPerExchange, perByte};
}

memory::CopyOf BenchMemory::copyOf(bool unfinished) {
  const memory::Identity& own = identity();
  memory::CopyOf of{name_, state_.sheet.title, own.id, own.bank, own.geometry.size};
  for (const std::uint8_t b : own.uniqueId) of.uniqueId += fmt::format("{:02x}", b);
  of.unfinished = unfinished;
  return of;
}

void BenchMemory::leaveModes() {
  if (!identified()) return;
  state_.useClock(entry().clockHz);
  opened_->memory->leaveModes();
}

memory::Registers& BenchMemory::registers() {
  if (memory::Registers* registers = ready().memory->registers()) return *registers;
  throw Error(ErrorKind::Usage, fmt::format("{} has no registers", name_));
}

const std::vector<std::uint8_t>& BenchMemory::lastRegisters() {
  static const std::vector<std::uint8_t> kNone;
  const memory::Registers* registers = opened().memory->registers();
  return registers == nullptr ? kNone : registers->values();
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
const memory::Identity& BenchMemory::identity() {
  return opened().memory->identity();
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
    before_ = {opened_->memory->identity(), std::move(opened_->contents)};
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
  const char* loads = routeKind(entry()).loads;
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
      throw Error(e.kind(), fmt::format("{}, while the {} was loaded into {}", e.what(), loads, device),
                  fmt::format("{} has no design now, and no flash command was sent: nothing was written. {}", device,
                              e.remedy()));
    }
    procedure->leave(chain);
    throw Error(ErrorKind::NoBridge, fmt::format("the {} {} could not be loaded: {}", loads, *way.load, e.full()),
                fmt::format("{} has no design now. No flash command was sent.", device));
  }
  chain.forget();
  open().route->wake();
  state_.loaded.insert(way.position);
  return again ? "it was gone and is loaded again; the design that ran there has stopped"
               : "the design that ran there has stopped";
}

}  // namespace imprimo::bench
