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
    throw Error(ErrorKind::Refused, fmt::format("the BSDL file of {} has no EXTEST: its pins cannot be driven", device));
}

PinScan::PinScan(jtag::Chain& chain, std::size_t position, const bsdl::BoundaryDescription& description,
                 std::string name)
    : chain_(chain),
      position_(position),
      name_(std::move(name)),
      ports_(boundaryPorts(description)),
      opcodes_(description) {}

PinScan::~PinScan() {
  if (!drives_) return;
  try {
    letGo();
  } catch (const Error&) {
    // The link is gone; whoever has it next begins with a reset.
  }
}

std::uint32_t PinScan::clocksPerScan() const {
  return static_cast<std::uint32_t>(ports_.length + chain_.size() - 1 +
                                    jtag::clocksAround(Register::Data, jtag::Rest::Idle, jtag::Rest::Idle));
}

jtag::Scan PinScan::scan(const BitVector& cells, std::span<const std::uint32_t> captured) const {
  jtag::Scan scan;
  scan.out.appendFill(false, chain_.after(position_));
  scan.out.append(cells);
  scan.out.appendFill(false, chain_.before(position_));
  for (const std::uint32_t cell : captured) {
    const std::size_t at = chain_.after(position_) + cell;
    scan.captures.push_back({at, at + 1});
  }
  return scan;
}

/// Captures of the whole register, one scan behind the other; `cells` go in with each.
std::vector<BitVector> PinScan::captures(const BitVector& cells, std::size_t count) {
  jtag::Scan scan = this->scan(cells, {});
  const std::size_t begin = chain_.after(position_);
  scan.captures = {{begin, begin + ports_.length}};
  jtag::ScanBatch batch;
  for (std::size_t i = 0; i < count; ++i) batch.add(scan);
  return chain_.port().run(batch);
}

std::vector<BitVector> PinScan::sample(std::size_t count) {
  if (drives_) letGo();
  chain_.select(position_, opcodes_.sample);
  return captures(BitVector(ports_.length, false), count);
}

void PinScan::drive(const BitVector& cells) {
  opcodes_.requireExtest(name_);
  jtag::ScanBatch batch;
  batch.add(scan(cells, {}));
  if (!drives_) {
    chain_.select(position_, opcodes_.preload);
    chain_.port().run(batch);
    drives_ = true;
    chain_.select(position_, *opcodes_.extest);
    return;
  }
  chain_.select(position_, *opcodes_.extest);
  chain_.port().run(batch);
}

std::vector<BitVector> PinScan::exchange(const BitVector& cells, std::size_t count) {
  drive(cells);
  return captures(cells, count);
}

void PinScan::letGo() {
  drives_ = false;
  chain_.forget();
  chain_.port().run(jtag::ScanBatch().reset());
}

}  // namespace imprimo::pins
