// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/debug/port_wires.h"

namespace imprimo::debug {

/// A debug port on the two wires of Serial Wire Debug: its line is reset, it is taken out of JTAG or out of its dormant
/// state, and one of several on the wires is chosen (ADIv5.2, B4.3 and B5).
class SwdWires : public PortWires {
 public:
  /// `target`: a TARGETSEL value, where several ports share the wires.
  explicit SwdWires(probe::SwdPort& port, std::optional<std::uint32_t> target = {}) : port_(port), target_(target) {}
  const char* name() const override { return "SWD"; }
  probe::RegisterAnswers wake() override;
  probe::RegisterAnswers wakeAgain() override;
  /// Where another port was chosen meanwhile, this one is chosen again first.
  probe::RegisterAnswers access(const probe::RegisterBatch& batch) override;
  std::uint32_t controlBits() const override { return port_.controlBits(); }
  std::chrono::nanoseconds now() const override { return port_.now(); }
  void pass(std::chrono::microseconds time) override { port_.pass(time); }

 private:
  probe::RegisterAnswers readId();

  probe::SwdPort& port_;
  std::optional<std::uint32_t> target_;
};

}  // namespace imprimo::debug
