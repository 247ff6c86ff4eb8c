// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pins/pin_nets.h"

namespace imprimo::sim {

void PinNets::addDevice(BoundaryScan& device) {
  const std::size_t index = devices_.size();
  devices_.push_back(&device);
  device.connect([this, index](std::size_t pin, Time now) { return levelAt(index, pin, now); },
                 [this](Time now) { settle(now); });
}

std::optional<PinNets::Pin> PinNets::find(const std::string& device, const std::string& pin) const {
  for (std::size_t i = 0; i < devices_.size(); ++i) {
    if (devices_[i]->model().device != device) continue;
    const auto& pins = devices_[i]->model().pins;
    for (std::size_t k = 0; k < pins.size(); ++k) {
      if (pins[k].name == pin) return Pin{i, k};
    }
  }
  return std::nullopt;
}

std::size_t PinNets::addNet(Net net) {
  for (const Pin& pin : net.pins) netOf_.emplace(std::pair{pin.device, pin.pin}, nets_.size());
  nets_.push_back(std::move(net));
  return nets_.size() - 1;
}

void PinNets::addFlash(SpiFlash& flash, FlashWires wires) {
  flashes_.emplace_back(flash, wires, violations_);
}

void PinNets::addFlash(ParallelNor& flash, BusWires wires) {
  parallels_.push_back({flash, std::move(wires)});
}

ParallelNor::Levels PinNets::levelsOf(const Parallel& parallel, Time now) {
  ParallelNor::Levels levels;
  const auto at = [&](const std::optional<std::size_t>& net, bool otherwise) {
    return net ? level(*net, now) : otherwise;
  };
  const BusWires& wires = parallel.wires;
  for (std::size_t i = 0; i < wires.address.size(); ++i)
    levels.address |= static_cast<std::uint32_t>(at(wires.address[i], false)) << i;
  levels.data = 0;
  for (std::size_t i = 0; i < wires.data.size(); ++i)
    levels.data = static_cast<std::uint16_t>(levels.data | (at(wires.data[i], true) ? 1u << i : 0u));
  levels.ce = at(wires.ce, true);
  levels.oe = at(wires.oe, true);
  levels.we = at(wires.we, true);
  return levels;
}

bool PinNets::level(std::size_t index, Time now) {
  const Net& net = nets_[index];
  std::optional<bool> found = net.drives;
  unsigned drivers = net.drives ? 1 : 0;
  const auto take = [&](std::optional<bool> driven) {
    if (!driven) return;
    ++drivers;
    // The first one is the stronger one: what the board itself has there.
    if (found && *found != *driven) violations_.add(net.name + ": two drive it with different levels");
    if (!found) found = driven;
  };
  for (const Pin& pin : net.pins) take(devices_[pin.device]->drive(pin.pin, now));
  for (FlashPins& flash : flashes_) {
    const auto lines = flash.wires().data();
    for (std::size_t i = 0; i < lines.size(); ++i) {
      if (lines[i] == index) take(flash.drives(i));
    }
  }
  for (const Parallel& parallel : parallels_) {
    for (unsigned i = 0; i < parallel.wires.data.size(); ++i) {
      if (parallel.wires.data[i] == index) take(parallel.flash.drives(i, now));
    }
  }
  return found.value_or(net.pull.value_or(true));
}

bool PinNets::levelAt(std::size_t device, std::size_t pin, Time now) {
  const auto net = netOf_.find({device, pin});
  if (net != netOf_.end()) return level(net->second, now);
  // A pin that goes nowhere.
  return devices_[device]->drive(pin, now).value_or(true);
}

void PinNets::settle(Time now) {
  if (settling_) return;
  settling_ = true;
  for (FlashPins& flash : flashes_) {
    const auto at = [&](const std::optional<std::size_t>& net) { return !net || level(*net, now); };
    const FlashWires& wires = flash.wires();
    const auto lines = wires.data();
    flash.see({at(wires.cs), at(wires.clk), {at(lines[0]), at(lines[1]), at(lines[2]), at(lines[3])}}, now);
  }
  for (Parallel& parallel : parallels_) parallel.flash.see(levelsOf(parallel, now), now);
  for (std::size_t i = 0; i < nets_.size(); ++i) level(i, now);  // contention shows
  settling_ = false;
}

void PinNets::powerLost(Time) {
  for (FlashPins& flash : flashes_) flash.powerLost();
  for (Parallel& parallel : parallels_) parallel.flash.powerLost();
}

}  // namespace imprimo::sim
