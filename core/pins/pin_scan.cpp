// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/pin_scan.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

using jtag::Register;

BitVector opcodeOf(const bsdl::BoundaryDescription& description, std::initializer_list<const char*> names) {
  for (const char* name : names) {
    if (const auto opcode = description.opcode(name)) return *opcode;
  }
  throw Error(ErrorKind::BadFile,
              fmt::format("the BSDL file of {} has no instruction {}", description.entity, *names.begin()),
              "Boundary scan needs it.");
}

}  // namespace

BoundaryOpcodes::BoundaryOpcodes(const bsdl::BoundaryDescription& description)
    : sample(opcodeOf(description, {"SAMPLE"})),
      // Until 2001 one instruction did both.
      preload(opcodeOf(description, {"PRELOAD", "SAMPLE"})),
      extest(description.opcode("EXTEST")) {
  // All zeros had to be EXTEST then, and need not be listed.
  if (!extest && description.edition != bsdl::Edition::Of2001 && description.edition != bsdl::Edition::Of2013)
    extest = BitVector(description.instructionLength, false);
}

void BoundaryOpcodes::requireExtest(const std::string& device) const {
  if (!extest)
    throw Error(ErrorKind::Refused,
                fmt::format("the BSDL file of {} has no EXTEST: its pins cannot be driven", device));
}

PinScan::PinScan(jtag::Chain& chain, std::size_t position, const bsdl::BoundaryDescription& description,
                 std::string name)
    : chain_(chain),
      position_(position),
      name_(std::move(name)),
      ports_(boundaryPorts(description)),
      opcodes_(description) {}

PinsDriven::~PinsDriven() {
  try {
    if (scan_.drives()) scan_.letGo();
  } catch (const Error&) {
    // The link is gone, which is told already.
  }
}

PinScan::~PinScan() {
  if (!drives_) return;
  try {
    letGo();
  } catch (const Error&) {
    // The link is gone; whoever has it next begins with a reset.
  }
}

std::size_t PinScan::bitsOf(std::size_t position) const {
  if (position == position_) return ports_.length;
  return companion_ != nullptr && companion_->position_ == position ? companion_->ports_.length : 1;
}

std::size_t PinScan::bitsAfter() const {
  std::size_t bits = 0;
  for (std::size_t p = position_ + 1; p <= chain_.size(); ++p) bits += bitsOf(p);
  return bits;
}

std::uint32_t PinScan::clocksPerScan() const {
  std::size_t bits = 0;
  for (std::size_t p = 1; p <= chain_.size(); ++p) bits += bitsOf(p);
  return static_cast<std::uint32_t>(bits + jtag::clocksAround(Register::Data, jtag::Rest::Idle, jtag::Rest::Idle));
}

void PinScan::select(const BitVector& opcode) {
  std::vector<jtag::Chain::Holds> some{{position_, opcode}};
  if (companion_ != nullptr) some.push_back({companion_->position_, companion_->opcodes_.sample});
  chain_.select(some);
}

jtag::Scan PinScan::scan(const BitVector& cells, std::span<const std::uint32_t> captured) const {
  jtag::Scan scan;
  const std::size_t after = bitsAfter();
  std::size_t before = 0;
  for (std::size_t p = 1; p < position_; ++p) before += bitsOf(p);
  scan.out.appendFill(false, after);
  scan.out.append(cells);
  scan.out.appendFill(false, before);
  for (const std::uint32_t cell : captured) scan.captures.push_back({after + cell, after + cell + 1});
  return scan;
}

/// All that is captured, of the companion too.
jtag::Scan PinScan::wholeScan(const BitVector& cells) const {
  jtag::Scan scan = this->scan(cells, {});
  scan.captures = {{0, scan.out.size()}};
  return scan;
}

std::vector<BitVector> PinScan::captures(jtag::ScanBatch& batch) {
  const auto cut = [](const BitVector& from, std::size_t begin, std::size_t count) {
    BitVector bits;
    for (std::size_t i = 0; i < count; ++i) bits.append(from[begin + i]);
    return bits;
  };
  std::size_t companionAt = 0;
  if (companion_ != nullptr) {
    for (std::size_t p = companion_->position_ + 1; p <= chain_.size(); ++p) companionAt += bitsOf(p);
  }
  companionCaptures_.clear();
  std::vector<BitVector> own;
  for (const BitVector& all : chain_.port().run(batch)) {
    own.push_back(cut(all, bitsAfter(), ports_.length));
    if (companion_ != nullptr) companionCaptures_.push_back(cut(all, companionAt, companion_->ports_.length));
  }
  return own;
}

std::vector<BitVector> PinScan::sample(std::size_t count) {
  if (drives_) letGo();
  select(opcodes_.sample);
  jtag::ScanBatch batch;
  const jtag::Scan scan = wholeScan(BitVector(ports_.length, false));
  for (std::size_t i = 0; i < count; ++i) batch.add(scan);
  return captures(batch);
}

void PinScan::drive(const BitVector& cells) {
  opcodes_.requireExtest(name_);
  jtag::ScanBatch batch;
  batch.add(scan(cells, {}));
  if (!drives_) {
    select(opcodes_.preload);
    chain_.port().run(batch);
    drives_ = true;
    select(*opcodes_.extest);
    return;
  }
  select(*opcodes_.extest);
  chain_.port().run(batch);
}

std::vector<BitVector> PinScan::exchange(const BitVector& cells, std::size_t count) {
  return exchange(std::vector<BitVector>(count, cells));
}

std::vector<BitVector> PinScan::exchange(const std::vector<BitVector>& cells) {
  if (cells.empty()) return {};
  drive(cells.front());
  jtag::ScanBatch batch;
  for (const BitVector& each : cells) batch.add(wholeScan(each));
  return captures(batch);
}

void PinScan::letGo() {
  drives_ = false;
  chain_.forget();
  chain_.port().run(jtag::ScanBatch().reset());
}

}  // namespace imprimo::pins
