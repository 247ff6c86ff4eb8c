// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>

#include "core/jtag/jtag_port.h"
#include "core/jtag/tap.h"

namespace imprimo::test {

/// Carries batches out clock by clock, on whatever stands behind `clock`.
class WirePort : public jtag::JtagPort {
 public:
  using Clock = std::function<bool(bool tms, bool tdi)>;
  WirePort(Clock clock, std::uint32_t hz) : clock_(std::move(clock)), hz_(hz) {}

  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override {
    answers_.clear();
    ++runs;
    for (const auto& item : batch.items()) std::visit([this](const auto& i) { carry(i); }, item);
    return answers_;
  }
  std::uint32_t clockHz() const override { return hz_; }

  std::uint64_t clocks = 0, runs = 0;
  double waited = 0;

 private:
  bool tick(bool tms, bool tdi = false) {
    ++clocks;
    return clock_(tms, tdi);
  }
  void ways(const char* tms) {
    for (; *tms != 0; ++tms) tick(*tms == '1');
  }
  void carry(const jtag::ResetTap&) { ways("111110"); }
  void carry(const jtag::Idle& idle) {
    for (std::uint32_t i = 0; i < idle.clocks; ++i) tick(false);
  }
  void carry(const jtag::Delay& delay) { waited += static_cast<double>(delay.time.count()) * 1e-6; }
  void carry(const jtag::Clocks& clocksAt) {
    for (std::uint32_t i = 0; i < clocksAt.count; ++i) tick(clocksAt.tms);
  }
  void carry(const jtag::Scan& scan) {
    using jtag::Rest;
    if (scan.from == Rest::Reset) ways("0");
    if (scan.from == Rest::Pause) ways("11");
    if (scan.from != Rest::Shift) ways(scan.into == jtag::Register::Instruction ? "1100" : "100");
    BitVector found;
    for (std::size_t i = 0; i < scan.out.size(); ++i)
      found.append(tick(scan.until != Rest::Shift && i + 1 == scan.out.size(), scan.out[i]));
    if (scan.until == Rest::Idle) ways("10");
    if (scan.until == Rest::Update) ways("1");
    if (scan.until == Rest::Pause) ways("0");
    if (scan.until == Rest::Reset) ways("1111");
    if (scan.captures.empty()) return;
    BitVector wanted;
    for (const jtag::BitRange& r : scan.captures) wanted.append(found.slice(r.begin, r.size()));
    answers_.push_back(std::move(wanted));
  }

  Clock clock_;
  std::uint32_t hz_;
  jtag::ScanAnswers answers_;
};

/// A part with a TAP and nothing to it: an instruction register of seven bits, and a data register whose length and
/// contents follow from the instruction and from how many scans there were. Keeps what was clocked as text.
class ToyDevice {
 public:
  bool clock(bool tms, bool tdi) {
    bool tdo = true;
    const bool shifts = state_ == jtag::TapState::ShiftDr || state_ == jtag::TapState::ShiftIr;
    if (state_ == jtag::TapState::CaptureIr) ir_ = "1010101";
    if (state_ == jtag::TapState::CaptureDr) {
      ++scans_;
      dr_.clear();
      for (unsigned i = 0; i < 1 + instruction_ % 40; ++i) dr_ += (scans_ * 2654435761u >> i % 32 & 1) != 0 ? '1' : '0';
    }
    if (shifts) {
      std::string& reg = state_ == jtag::TapState::ShiftIr ? ir_ : dr_;
      tdo = reg.front() == '1';
      reg = reg.substr(1) + (tdi ? '1' : '0');
    }
    trace_ += tms ? (shifts ? (tdi ? 'D' : 'C') : '1') : (shifts ? (tdi ? 'B' : 'A') : '0');
    state_ = jtag::next(state_, tms);
    if (state_ == jtag::TapState::UpdateIr) {
      instruction_ = 0;
      for (std::size_t i = 0; i < ir_.size(); ++i) instruction_ |= (ir_[i] == '1' ? 1u : 0u) << i;
    }
    if (state_ == jtag::TapState::TestLogicReset) instruction_ = 31;
    return tdo;
  }
  const std::string& trace() const { return trace_; }
  jtag::TapState state() const { return state_; }

 private:
  jtag::TapState state_ = jtag::TapState::TestLogicReset;
  std::string ir_ = "1010101", dr_ = "0", trace_;
  unsigned instruction_ = 31, scans_ = 0;
};

}  // namespace imprimo::test
