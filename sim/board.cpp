// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/board.h"

#include <algorithm>
#include <stdexcept>

namespace imprimo::sim {

void Board::addFlash(FlashModel model) {
  flashes_.push_back(std::make_unique<SpiFlash>(std::move(model), violations_));
}

TapDevice& Board::addDevice(DeviceModel model, const std::string& bridgeTo) {
  devices_.push_back(std::make_unique<TapDevice>(std::move(model), violations_, onlyExamine_));
  if (!bridgeTo.empty()) devices_.back()->setBridge(std::make_unique<BridgeCore>(flash(bridgeTo), violations_));
  return *devices_.back();
}

void Board::addParallelFlash(ParallelNorModel model) {
  parallelFlashes_.push_back(std::make_unique<ParallelNor>(std::move(model), violations_));
}

ParallelNor* Board::parallelFlash(const std::string& name) {
  for (const auto& flash : parallelFlashes_) {
    if (flash->model().name == name) return flash.get();
  }
  return nullptr;
}

SpiFlash& Board::flash(const std::string& name) {
  for (const auto& flash : flashes_) {
    if (flash->model().name == name) return *flash;
  }
  throw std::out_of_range("no flash " + name);
}

std::size_t Board::addCore(CoreModel model, const DebugPortModel& port, bool onSwd) {
  CoreSite site;
  site.chip = std::make_unique<CoreChip>(std::move(model), violations_);
  site.port = std::make_unique<DebugPort>(port, *site.chip);
  if (onSwd) site.wire = std::make_unique<SwdWire>(*site.port, violations_);
  cores_.push_back(std::move(site));
  return cores_.size() - 1;
}

std::size_t Board::addSecond(std::size_t first, CoreModel model, unsigned accessPort) {
  CoreSite site;
  site.chip = std::make_unique<CoreChip>(std::move(model), violations_);
  cores_.at(first).port->addAccessPort(accessPort, *site.chip);
  cores_.at(first).chip->startsLater(*site.chip);
  site.chip->putOff();
  cores_.push_back(std::move(site));
  return cores_.size() - 1;
}

bool Board::swdClock(bool drives, bool level) {
  now_ += period_;
  ++clocks_;
  if (!checkPower()) return drives && level;
  bool line = true;
  unsigned driving = 0;
  for (const CoreSite& site : cores_) {
    if (!site.wire) continue;
    driving += site.wire->shows() ? 1 : 0;
    line = site.wire->clock(drives, level, now_) && line;
  }
  if (driving > 1) violations_.add("swd: two targets drive the line");
  return drives ? level : line;
}

bool Board::swdTargetDrives() const {
  return std::any_of(cores_.begin(), cores_.end(),
                     [](const CoreSite& site) { return site.wire && site.wire->shows(); });
}

void Board::holdReset(bool low) {
  for (const CoreSite& site : cores_) {
    site.chip->advance(now_);
    site.chip->resetPin(low);
  }
}

/// Tells everything that lost its power, or has it again. Is it there?
bool Board::checkPower() {
  const bool power = powered();
  if (!power && wasPowered_) powerLost();
  if (power && !wasPowered_) powerBack();
  wasPowered_ = power;
  return power;
}

void Board::setClock(std::uint32_t hz) {
  hz_ = hz;
  period_ = (1'000'000'000'000ull + hz / 2) / hz;
}

std::uint64_t Board::clock(bool tms, std::uint64_t tdi, int count) {
  std::uint64_t bits = tdi;
  const bool power = checkPower();
  for (const CoreSite& site : cores_) {
    for (int i = 0; power && site.wire && i < count; ++i) site.wire->clock(true, tms, now_);
  }
  if (power) {
    // A part's clock k depends only on what the part in front showed at clock k, so each can run all of them in turn.
    for (std::size_t i = 0; i < devices_.size(); ++i) {
      if (!faults_.empty() && fault(BoardFault::Kind::HeldInReset, i + 1) != nullptr) {
        bits = ~0ull;
      } else {
        bits = devices_[i]->run(tms, bits, count, now_, period_);
      }
      if (faults_.empty()) continue;
      if (const BoardFault* cut = fault(BoardFault::Kind::Cut, i + 1)) bits = cut->level ? ~0ull : 0;
    }
  }
  now_ += static_cast<Time>(count) * period_;
  clocks_ += static_cast<std::uint64_t>(count);
  if (faults_.empty()) return bits;
  if (!power) return fault(BoardFault::Kind::NoPower)->level ? ~0ull : 0;
  for (const BoardFault& f : faults_) {
    if (f.kind == BoardFault::Kind::Noise && hz_ > f.aboveHz) bits = wire_.disturb(bits, count, f.rate);
  }
  if (const BoardFault* stuck = fault(BoardFault::Kind::StuckTdo)) return stuck->level ? ~0ull : 0;
  return bits;
}

const BoardFault* Board::fault(BoardFault::Kind kind, std::size_t position) const {
  for (const BoardFault& f : faults_) {
    if (f.kind == kind && (position == 0 || f.position == position)) return &f;
  }
  return nullptr;
}

bool Board::powered() const {
  const BoardFault* f = fault(BoardFault::Kind::NoPower);
  if (f == nullptr) return true;
  if (f->until && *f->until < f->from) return now_ < *f->until || now_ >= f->from;
  return now_ >= f->from && (!f->until || now_ < *f->until);
}

void Board::runCores() {
  if (!powered()) return;
  for (const CoreSite& site : cores_) site.chip->advance(now_);
}

LineLevels Board::swoLevels() {
  const Time since = now_ - swoTaken_;
  swoTaken_ = now_;
  for (const CoreSite& site : cores_) {
    if (site.chip->trace() == nullptr) continue;
    if (powered()) site.chip->advance(now_);
    return site.chip->trace()->take(now_);
  }
  return {{true, since}};
}

void Board::powerLost() {
  for (const auto& device : devices_) device->powerLost(now_);
  for (const auto& flash : flashes_) flash->powerLost(now_);
  nets_.powerLost(now_);
  for (const CoreSite& site : cores_) {
    if (site.wire) site.wire->powerLost();
    site.chip->powerLost();
  }
}

void Board::powerBack() {
  for (const auto& device : devices_) device->powerUp(now_);
  for (const CoreSite& site : cores_) site.chip->powerUp(now_);
}

void Board::cyclePower() {
  powerLost();
  powerBack();
}

void Board::wait(Time time) {
  for (const auto& device : devices_) {
    if (device->bridgeSelected() && device->shiftingData()) device->bridge()->paused();
  }
  now_ += time;
}

}  // namespace imprimo::sim
