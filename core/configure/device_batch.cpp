// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/configure/device_batch.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

#include "core/base/error.h"

namespace imprimo::configure {
namespace {

using jtag::Rest;

constexpr std::size_t kClocksAround = 6;  // of one scan, apart from its bits

std::chrono::microseconds atLeast(double seconds) {
  return std::chrono::microseconds(static_cast<std::int64_t>(std::ceil(seconds * 1e6)));
}

}  // namespace

void DeviceBatch::count(std::size_t clocks) {
  seconds_ += static_cast<double>(clocks) / chain_.port().clockHz();
}

DeviceBatch& DeviceBatch::reset() {
  batch_.reset();
  inUpdate_ = false;
  count(6);
  return *this;
}

void DeviceBatch::scan(jtag::Register into, BitVector out, std::vector<jtag::BitRange> captures, bool waitsBehind,
                       std::optional<jtag::Scan::Expected> expected) {
  count(out.size() + kClocksAround);
  batch_.add(jtag::Scan{.into = into,
                        .out = std::move(out),
                        .captures = std::move(captures),
                        .waits = {},
                        .from = inUpdate_ ? Rest::Update : Rest::Idle,
                        .until = waitsBehind ? Rest::Idle : Rest::Update,
                        .expected = std::move(expected)});
  inUpdate_ = !waitsBehind;
}

void DeviceBatch::wait(std::uint32_t clocks, double seconds) {
  if (clocks > 0) batch_.idle(clocks);
  count(clocks);
  if (seconds > 0) batch_.delay(atLeast(seconds));
  seconds_ += seconds;
}

DeviceBatch& DeviceBatch::add(const DeviceScan& s) {
  const bool waits = s.clocks > 0 || s.seconds > 0;
  std::vector<jtag::BitRange> captured;
  if (s.captureInstruction) {
    const auto& lengths = chain_.irLengths();
    const auto behind = lengths.begin() + static_cast<std::ptrdiff_t>(position_);
    const std::size_t at = std::accumulate(behind, lengths.end(), std::size_t{0});
    captured = {{at, at + s.opcode.size()}};
  }
  // What may take its time is waited for in front of the instruction: a wait behind it would pass Run-Test/Idle.
  std::optional<jtag::Scan::Expected> first, second;
  if (s.expected) (s.captureBits == 0 ? first : second) = s.expected;
  if (second && second->within.count() > 0) {
    first = jtag::Scan::Expected{{}, {}, second->within};
    second->within = {};
  }
  scan(jtag::Register::Instruction, chain_.instructions(position_, s.opcode), std::move(captured),
       waits && s.update.empty(), std::move(first));
  if (!s.update.empty()) {
    BitVector out = s.update;
    out.appendFill(false, chain_.before(position_));
    scan(jtag::Register::Data, std::move(out), {}, waits);
  }
  wait(s.clocks, s.seconds);
  if (s.captureBits > 0) {
    const std::size_t after = chain_.after(position_);
    scan(jtag::Register::Data, BitVector(after + s.captureBits + chain_.before(position_)),
         {{after, after + s.captureBits}}, false, std::move(second));
  }
  return *this;
}

std::vector<BitVector> DeviceBatch::run() {
  if (inUpdate_) {
    const BitVector bypass(chain_.irLengths().at(position_ - 1), true);
    scan(jtag::Register::Instruction, chain_.instructions(position_, bypass), {}, true);
  }
  const jtag::ScanBatch batch = std::exchange(batch_, {});
  seconds_ = 0;
  if (batch.empty()) return {};
  chain_.forget();
  return chain_.port().run(batch);
}

namespace {

/// Out of a scan that is not finished, without passing Run-Test/Idle or Test-Logic-Reset: what was shifted is not
/// worked with, and a device in a mode of its own stays in it.
void leaveScan(jtag::Chain& chain, std::size_t position, std::size_t instructionBits) {
  jtag::ScanBatch batch;
  batch.add(jtag::Scan{.into = jtag::Register::Data,
                       .out = BitVector(1),
                       .captures = {},
                       .waits = {},
                       .from = Rest::Shift,
                       .until = Rest::Update});
  batch.add(jtag::Scan{.into = jtag::Register::Instruction,
                       .out = chain.instructions(position, BitVector(instructionBits, true)),
                       .captures = {},
                       .waits = {},
                       .from = Rest::Update});
  chain.port().run(batch);
}

}  // namespace

void shiftLong(jtag::Chain& chain, std::size_t position, const LongScan& scan, Progress& progress) {
  const std::size_t total = scan.bits.size() + chain.before(position);
  const std::size_t piece = std::max<std::size_t>(4096, chain.port().clockHz() / 20);
  chain.forget();
  for (std::size_t at = 0; at < total;) {
    if (progress.stopRequested()) {
      if (at > 0) leaveScan(chain, position, scan.opcode.size());
      throw Error(ErrorKind::Stopped, fmt::format("stopped after {} of {} bits", at, scan.bits.size()));
    }
    jtag::ScanBatch batch;
    if (at == 0) {
      batch.add(jtag::Scan{.into = jtag::Register::Instruction,
                           .out = chain.instructions(position, scan.opcode),
                           .captures = {},
                           .waits = {},
                           .until = Rest::Update});
    }
    const std::size_t end = total - at < piece + piece / 4 ? total : at + piece;
    const std::size_t own = std::min(end, scan.bits.size());
    BitVector out = at < own ? scan.bits.slice(at, own - at) : BitVector();
    out.appendFill(false, end - at - out.size());
    batch.add(jtag::Scan{.into = jtag::Register::Data,
                         .out = std::move(out),
                         .captures = {},
                         .waits = {},
                         .from = at == 0 ? Rest::Update : Rest::Shift,
                         .until = end == total ? Rest::Idle : Rest::Shift});
    if (end == total && scan.clocks > 0) batch.idle(scan.clocks);
    if (end == total && scan.seconds > 0) batch.delay(atLeast(scan.seconds));
    chain.port().run(batch);
    progress.passed({own - std::min(at, scan.bits.size()), Amount::Bits});
    at = end;
  }
}

}  // namespace imprimo::configure
