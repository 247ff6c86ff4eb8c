// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/tap_device.h"

#include <fmt/format.h>

#include <algorithm>

namespace imprimo::sim {

void ShiftRegister::load(std::vector<bool> bits) {
  bits_ = std::move(bits);
  first_ = 0;
}

void ShiftRegister::load(std::uint64_t value, std::size_t length) {
  bits_.assign(length, false);
  first_ = 0;
  for (std::size_t i = 0; i < length && i < 64; ++i) bits_[i] = (value >> i & 1) != 0;
}

bool ShiftRegister::shift(bool in) {
  const bool out = bits_[first_];
  bits_[first_] = in;
  if (++first_ == bits_.size()) first_ = 0;
  return out;
}

std::uint64_t ShiftRegister::value() const {
  std::uint64_t value = 0;
  for (std::size_t i = 0; i < bits_.size() && i < 64; ++i) {
    value |= static_cast<std::uint64_t>(bits_[(first_ + i) % bits_.size()]) << i;
  }
  return value;
}

TapDevice::TapDevice(DeviceModel model, Violations& violations, const bool& onlyExamine)
    : model_(std::move(model)), violations_(violations), onlyExamine_(onlyExamine), selected_(&bypass_) {
  bypass_.name = "BYPASS";
  ir_.load(0, model_.irLength);
  dr_.load(0, 1);
  enter(State::Reset, 0);
}

TapDevice::State TapDevice::after(State s, bool tms) {
  switch (s) {
    case State::Reset:
      return tms ? State::Reset : State::Idle;
    case State::Idle:
    case State::UpdateDr:
    case State::UpdateIr:
      return tms ? State::SelectDr : State::Idle;
    case State::SelectDr:
      return tms ? State::SelectIr : State::CaptureDr;
    case State::CaptureDr:
    case State::ShiftDr:
      return tms ? State::Exit1Dr : State::ShiftDr;
    case State::Exit1Dr:
      return tms ? State::UpdateDr : State::PauseDr;
    case State::PauseDr:
      return tms ? State::Exit2Dr : State::PauseDr;
    case State::Exit2Dr:
      return tms ? State::UpdateDr : State::ShiftDr;
    case State::SelectIr:
      return tms ? State::Reset : State::CaptureIr;
    case State::CaptureIr:
    case State::ShiftIr:
      return tms ? State::Exit1Ir : State::ShiftIr;
    case State::Exit1Ir:
      return tms ? State::UpdateIr : State::PauseIr;
    case State::PauseIr:
      return tms ? State::Exit2Ir : State::PauseIr;
    case State::Exit2Ir:
      return tms ? State::UpdateIr : State::ShiftIr;
  }
  return State::Reset;
}

/// States that clocks with TMS 0 do not leave, and in which nothing is shifted.
bool TapDevice::rests() const {
  return state_ == State::Idle || state_ == State::PauseDr || state_ == State::PauseIr;
}

std::uint64_t TapDevice::run(bool tms, std::uint64_t tdi, int count, Time start, Time period) {
  std::uint64_t tdo = 0;
  if (!tms && rests()) {
    if (state_ == State::Idle) idleClocks_ += static_cast<std::uint64_t>(count);
    latest_ = start + static_cast<Time>(count - 1) * period;
    return count == 64 ? ~0ull : (1ull << count) - 1;
  }
  for (int k = 0; k < count;) {
    if (state_ == State::ShiftDr && !tms) {
      tdo |= shiftData(tdi >> k, count - k, start + static_cast<Time>(k) * period, period) << k;
      return tdo;
    }
    tdo |= static_cast<std::uint64_t>(clock(tms, (tdi >> k & 1) != 0, start + static_cast<Time>(k) * period)) << k;
    ++k;
  }
  return tdo;
}

/// Many clocks in Shift-DR, which is where nearly all of them are spent.
std::uint64_t TapDevice::shiftData(std::uint64_t tdi, int count, Time start, Time period) {
  std::uint64_t tdo = 0;
  dataClocks_ += static_cast<std::uint64_t>(count);
  latest_ = start;
  if (selected().selects == DeviceInstruction::Register::Logic && logic_ != nullptr &&
      logic_->streams(selected().role)) {
    logic_->shiftIn(selected().role, tdi, count);
  } else if (bridgeSelected()) {
    for (int k = 0; k < count; ++k) {
      tdo |= static_cast<std::uint64_t>(bridge_->clock((tdi >> k & 1) != 0, start + static_cast<Time>(k) * period))
             << k;
    }
  } else if (dr_.size() == 1) {
    tdo = tdi << 1 | dr_.value();
    dr_.load(tdi >> (count - 1) & 1, 1);
    if (count < 64) tdo &= (1ull << count) - 1;
  } else {
    for (int k = 0; k < count; ++k) tdo |= static_cast<std::uint64_t>(dr_.shift((tdi >> k & 1) != 0)) << k;
  }
  return tdo;
}

bool TapDevice::clock(bool tms, bool tdi, Time now) {
  bool tdo = true;
  latest_ = now;
  switch (state_) {
    case State::Idle:
      ++idleClocks_;
      break;
    case State::CaptureDr:
      captureData();
      break;
    case State::CaptureIr:
      ir_.load(logic_ ? logic_->captureInstruction(model_.irCapture, now) : model_.irCapture, model_.irLength);
      break;
    case State::ShiftDr:
      tdo = shiftData(tdi ? 1 : 0, 1, now, 0) != 0;
      break;
    case State::ShiftIr:
      tdo = ir_.shift(tdi);
      break;
    default:
      break;
  }
  enter(after(state_, tms), now);
  return tdo;
}

void TapDevice::enter(State next, Time now) {
  const State before = state_;
  state_ = next;
  if (bridge_ && logic_ && !logic_->hasBridge(now)) bridge_->configured();  // when it is there again it is a new one
  if (bridgeSelected()) {
    if (before != State::ShiftDr && next == State::ShiftDr) bridge_->enter();
    if (before == State::ShiftDr && next != State::ShiftDr) bridge_->leave(now);
  }
  if (next == State::UpdateIr) setInstruction(ir_.value());
  if (next == State::UpdateDr && selected().selects == DeviceInstruction::Register::Plain)
    plain_[selected().opcode] = takeRegister();
  if (next == State::UpdateDr && boundary_ && selected().selects == DeviceInstruction::Register::Boundary)
    boundary_->update(selected().mode, takeRegister(), now);
  if (logic_) tellLogic(before, next, now);
  if (boundary_ && next == State::Reset) boundary_->reset(now);
  if (next == State::Reset) {
    selected_ = &bypass_;
    for (const DeviceInstruction& i : model_.instructions) {
      if (model_.idcode && i.selects == DeviceInstruction::Register::Idcode) selected_ = &i;
    }
  }
}

/// What the data register holds; it holds it on.
std::vector<bool> TapDevice::takeRegister() {
  std::vector<bool> held(dr_.size());
  for (std::size_t i = 0; i < held.size(); ++i) held[i] = dr_.shift(false);
  dr_.load(held);
  return held;
}

void TapDevice::tellLogic(State before, State next, Time now) {
  if (before == State::Idle && next != State::Idle) logic_->leaveIdle(selected().role, now, idleClocks_);
  if (next == State::UpdateIr) logic_->instruction(selected().role, now);
  if (next == State::UpdateDr && selected().selects == DeviceInstruction::Register::Logic &&
      !logic_->streams(selected().role))
    logic_->update(selected().role, takeRegister(), now);
  if (before != State::Idle && next == State::Idle) {
    idleClocks_ = 0;
    logic_->enterIdle(selected().role, now);
  }
  if (next == State::Reset && before != State::Reset) logic_->testLogicReset(now);
}

void TapDevice::powerLost(Time now) {
  if (logic_) logic_->powerLost(now);
  if (bridge_) bridge_->configured();
  enter(State::Reset, now);
}

void TapDevice::powerUp(Time now) {
  if (logic_) logic_->powerUp(now);
}

void TapDevice::captureData() {
  switch (selected().selects) {
    case DeviceInstruction::Register::Idcode:
      return dr_.load(model_.idcode.value_or(0), 32);
    case DeviceInstruction::Register::Boundary:
      if (boundary_) return dr_.load(boundary_->capture(selected().mode, latest_));
      return dr_.load(0, 1);
    case DeviceInstruction::Register::Logic:
      if (logic_) return dr_.load(logic_->capture(selected().role, latest_));
      return dr_.load(0, 1);
    case DeviceInstruction::Register::Plain: {
      const auto held = plain_.find(selected().opcode);
      if (held != plain_.end()) return dr_.load(held->second);
      return dr_.load(0, selected().length);
    }
    default:
      return dr_.load(0, 1);
  }
}

void TapDevice::setInstruction(std::uint64_t opcode) {
  selected_ = &bypass_;
  for (const DeviceInstruction& i : model_.instructions) {
    if (i.opcode == opcode) selected_ = &i;
  }
  if (opcode != allOnes() && (onlyExamine_ || selected_ == &bypass_)) {
    const bool listed = std::any_of(model_.instructions.begin(), model_.instructions.end(),
                                    [&](const DeviceInstruction& i) { return i.opcode == opcode; });
    if (onlyExamine_ || !listed) {
      violations_.add(fmt::format("{}: the instruction 0x{:x} passed Update-IR{}", model_.name, opcode,
                                  listed ? "" : ", which the part does not have"));
    }
  }
  if (boundary_) boundary_->setMode(selected_->mode, latest_);
  if (opcode != allOnes() && std::find(seen_.begin(), seen_.end(), opcode) == seen_.end()) seen_.push_back(opcode);
}

}  // namespace imprimo::sim
