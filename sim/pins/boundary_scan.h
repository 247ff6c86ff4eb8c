// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "sim/sim_clock.h"
#include "sim/violations.h"

namespace imprimo::sim {

/// A pin with the cells behind it; cell 0 is next to TDO.
struct BoundaryPinModel {
  std::string name;
  std::optional<std::size_t> input, output, control;
  bool off = false;            ///< the level of the control cell that lets the pin go
  std::optional<bool> drives;  ///< what the device's own logic drives; nothing: it lets the pin go
  double hertz = 0;            ///< the same as a clock; 0: it stands
};

struct BoundaryModel {
  std::string device;
  std::size_t length = 0;
  std::vector<BoundaryPinModel> pins;
};

enum class BoundaryMode : std::uint8_t { None, Sample, Preload, SamplePreload, Extest };

/// The boundary register of a device, as IEEE 1149.1 clauses 8 and 11 have it: what is captured, latches that only
/// EXTEST brings to the pins, and pins that are the own logic's otherwise.
class BoundaryScan {
 public:
  BoundaryScan(BoundaryModel model, Violations& violations) : model_(std::move(model)), violations_(violations) {
    latches_.assign(model_.length, false);
  }

  const BoundaryModel& model() const { return model_; }
  /// Levels of the board at a pin, and word that pins may have changed.
  void connect(std::function<bool(std::size_t pin, Time now)> level, std::function<void(Time now)> changed) {
    level_ = std::move(level);
    changed_ = std::move(changed);
  }
  /// What the device drives at a pin now; nothing: it lets it go.
  std::optional<bool> drive(std::size_t pin, Time now) const;

  void setMode(BoundaryMode mode, Time now);
  std::vector<bool> capture(BoundaryMode mode, Time now);
  void update(BoundaryMode mode, const std::vector<bool>& cells, Time now);
  /// Test-Logic-Reset, or a loss of power.
  void reset(Time now);
  bool cutsOff() const { return mode_ == BoundaryMode::Extest; }

 private:
  std::optional<bool> own(const BoundaryPinModel& pin, Time now) const;

  BoundaryModel model_;
  Violations& violations_;
  BoundaryMode mode_ = BoundaryMode::None;
  std::vector<bool> latches_;
  bool loaded_ = false;  // since the last reset
  std::function<bool(std::size_t, Time)> level_;
  std::function<void(Time)> changed_;
  std::mt19937 random_{1149};
};

}  // namespace imprimo::sim
