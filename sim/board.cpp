// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/board.h"

#include <stdexcept>

namespace imprimo::sim {

void Board::addFlash(FlashModel model) {
  flashes_.push_back(std::make_unique<SpiFlash>(std::move(model), violations_));
}

void Board::addDevice(DeviceModel model, const std::string& bridgeTo) {
  devices_.push_back(std::make_unique<TapDevice>(std::move(model)));
  if (!bridgeTo.empty()) devices_.back()->setBridge(std::make_unique<BridgeCore>(flash(bridgeTo), violations_));
}

SpiFlash& Board::flash(const std::string& name) {
  for (const auto& flash : flashes_) {
    if (flash->model().name == name) return *flash;
  }
  throw std::out_of_range("no flash " + name);
}

void Board::setClock(std::uint32_t hz) {
  period_ = (1'000'000'000'000ull + hz / 2) / hz;
}

std::uint64_t Board::clock(bool tms, std::uint64_t tdi, int count) {
  std::uint64_t bits = tdi;
  // A part's clock k depends only on what the part in front showed at clock k, so each can run all of them in turn.
  for (const auto& device : devices_) bits = device->run(tms, bits, count, now_, period_);
  now_ += static_cast<Time>(count) * period_;
  clocks_ += static_cast<std::uint64_t>(count);
  if (stuckTdo_) return *stuckTdo_ ? ~0ull : 0;
  return bits;
}

void Board::wait(Time time) {
  for (const auto& device : devices_) {
    if (device->bridgeSelected() && device->shiftingData()) device->bridge()->paused();
  }
  now_ += time;
}

}  // namespace imprimo::sim
