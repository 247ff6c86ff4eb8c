// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pins/boundary_scan.h"

namespace imprimo::sim {

std::optional<bool> BoundaryScan::own(const BoundaryPinModel& pin, Time now) const {
  if (pin.hertz == 0) return pin.drives;
  return static_cast<std::uint64_t>(toSeconds(now) * pin.hertz * 2) % 2 != 0;
}

std::optional<bool> BoundaryScan::drive(std::size_t index, Time now) const {
  const BoundaryPinModel& pin = model_.pins[index];
  if (mode_ != BoundaryMode::Extest) return own(pin, now);
  if (!pin.output) return std::nullopt;
  if (pin.control && latches_[*pin.control] == pin.off) return std::nullopt;
  return latches_[*pin.output];
}

void BoundaryScan::setMode(BoundaryMode mode, Time now) {
  if (mode == BoundaryMode::Extest && mode_ != BoundaryMode::Extest && !loaded_)
    violations_.add(model_.device + ": EXTEST with nothing preloaded");
  const bool changes = (mode == BoundaryMode::Extest) != (mode_ == BoundaryMode::Extest);
  mode_ = mode;
  if (changes && changed_) changed_(now);
}

std::vector<bool> BoundaryScan::capture(BoundaryMode mode, Time now) {
  std::vector<bool> cells(model_.length);
  // Cells that are nobody's, and those that PRELOAD alone leaves open, may be anything.
  for (std::size_t i = 0; i < cells.size(); ++i) cells[i] = (random_() & 1) != 0;
  if (mode == BoundaryMode::Preload) return cells;
  for (std::size_t i = 0; i < model_.pins.size(); ++i) {
    const BoundaryPinModel& pin = model_.pins[i];
    const std::optional<bool> drives = drive(i, now);
    const bool level = level_ ? level_(i, now) : true;
    if (pin.control) cells[*pin.control] = drives.has_value() ? !pin.off : pin.off;
    if (pin.output) cells[*pin.output] = drives.value_or(pin.input == pin.output ? level : false);
    if (pin.input && pin.input != pin.output) cells[*pin.input] = level;
  }
  return cells;
}

void BoundaryScan::update(BoundaryMode mode, const std::vector<bool>& cells, Time now) {
  if (mode == BoundaryMode::Sample) return;  // of 2001: it has no latches to change
  latches_ = cells;
  loaded_ = true;
  if (mode == BoundaryMode::Extest && changed_) changed_(now);
}

void BoundaryScan::reset(Time now) {
  loaded_ = false;
  setMode(BoundaryMode::None, now);
}

}  // namespace imprimo::sim
