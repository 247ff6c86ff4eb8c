// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/pin_bus.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

/// Nothing selected: addresses low, the controls high, data let go.
Drives idleDrives(const BusWires& wires) {
  Drives drives = wires.held;
  for (const std::size_t port : wires.address) drives[port] = false;
  for (const std::size_t port : wires.data) drives[port] = std::nullopt;
  for (const std::size_t port : {wires.ce, wires.oe, wires.we}) drives[port] = true;
  return drives;
}

DrivePlan idlePlan(const BoundaryPorts& ports, const BusWires& wires, const BitVector& sampled) {
  return planDrives(ports, idleDrives(wires), sampled);
}

}  // namespace

void checkWires(const BoundaryPorts& ports, const BusWires& wires) {
  std::map<std::size_t, std::string> roles;
  const auto take = [&](std::size_t index, const std::string& role, bool drives, bool reads) {
    const BoundaryPort& port = ports.ports.at(index);
    const auto [other, fresh] = roles.emplace(index, role);
    if (!fresh)
      throw Error(ErrorKind::Usage, fmt::format("{} cannot be both {} and {}", port.name, other->second, role),
                  "Each wire is on a port of its own.");
    if (drives && (!port.output || port.isOpen()))
      throw Error(ErrorKind::Usage,
                  fmt::format("{} cannot be {}: it {}", port.name, role,
                              port.output ? "is an open driver" : "is an input only"),
                  "Choose a port that drives both levels.");
    if (reads && (!port.input || !port.enable))
      throw Error(
          ErrorKind::Usage,
          fmt::format("{} cannot be {}: it {}", port.name, role, port.input ? "cannot be let go" : "is an output only"),
          "Choose a port that works both ways.");
  };
  for (std::size_t i = 0; i < wires.address.size(); ++i)
    take(wires.address[i], fmt::format("address line {}", i), true, false);
  for (std::size_t i = 0; i < wires.data.size(); ++i) take(wires.data[i], fmt::format("data line {}", i), true, true);
  take(wires.ce, "ce", true, false);
  take(wires.oe, "oe", true, false);
  take(wires.we, "we", true, false);
  for (const auto& [index, level] : wires.held) {
    if (const auto role = roles.find(index); role != roles.end())
      throw Error(ErrorKind::Usage, fmt::format("{} is {} and cannot be held", ports.ports[index].name, role->second));
  }
  idlePlan(ports, wires, BitVector(ports.length, false));
}

/// Scans of a run, and the words that come back.
class PinBus::Cycles {
 public:
  Cycles(PinScan& scan, const BusWires& wires, BitVector idle) : scan_(scan), wires_(wires), cells_(std::move(idle)) {
    std::vector<std::pair<std::uint32_t, unsigned>> inputs;
    for (unsigned i = 0; i < wires.data.size(); ++i) inputs.emplace_back(*port(wires.data[i]).input, i);
    std::sort(inputs.begin(), inputs.end());
    for (const auto& [cell, bit] : inputs) {
      inputs_.push_back(cell);
      bits_.push_back(bit);
    }
  }

  void write(const spi::BusWrite& write) {
    if (reads_) {
      set(wires_.oe, true);
      send();
      reads_ = false;
    }
    select(write.address);
    for (std::size_t i = 0; i < wires_.data.size(); ++i) drive(wires_.data[i], (write.data >> i & 1) != 0);
    send();
    set(wires_.we, false);
    send();
    set(wires_.we, true);
    send();
  }
  void read(const spi::BusRead& read) {
    if (reads_ && read.anew) {
      set(wires_.oe, true);
      send();
      set(wires_.oe, false);
    }
    select(read.address);
    if (!reads_) {
      for (const std::size_t line : wires_.data) letGo(line);
      send();
      set(wires_.oe, false);
      reads_ = true;
    }
    send();
    wanted_ = true;
  }
  void wait(std::chrono::microseconds time) {
    if (wanted_) send();
    if (time.count() > 0) batch_.delay(time);
  }
  std::vector<std::uint16_t> finish() {
    if (reads_) set(wires_.oe, true);
    send();
    for (const std::size_t line : wires_.data) letGo(line);
    set(wires_.ce, true);
    send();
    flush();
    return std::move(words_);
  }

 private:
  const BoundaryPort& port(std::size_t index) const { return scan_.ports().ports[index]; }
  void set(std::size_t index, bool level) { cells_.set(*port(index).output, level); }
  void drive(std::size_t index, bool level) {
    set(index, level);
    cells_.set(port(index).enable->cell, !port(index).enable->off);
  }
  void letGo(std::size_t index) { cells_.set(port(index).enable->cell, port(index).enable->off); }
  void select(std::uint32_t address) {
    set(wires_.ce, false);
    for (std::size_t i = 0; i < wires_.address.size(); ++i) set(wires_.address[i], (address >> i & 1) != 0);
  }
  /// Brings the cells out; what is captured on the way is the answer to the read before.
  void send() {
    constexpr std::size_t kPiece = 8192;
    batch_.add(
        scan_.scan(cells_, wanted_ ? std::span<const std::uint32_t>(inputs_) : std::span<const std::uint32_t>()));
    wanted_ = false;
    if (++scans_ >= kPiece) flush();
  }
  void flush() {
    if (batch_.empty()) return;
    for (const BitVector& answer : scan_.chain().port().run(batch_)) {
      std::uint16_t word = 0;
      for (std::size_t i = 0; i < bits_.size(); ++i)
        word = static_cast<std::uint16_t>(word | (answer[i] ? 1u << bits_[i] : 0u));
      words_.push_back(word);
    }
    batch_ = jtag::ScanBatch();
    scans_ = 0;
  }

  PinScan& scan_;
  const BusWires& wires_;
  BitVector cells_;
  std::vector<std::uint32_t> inputs_;  // cells of the data lines, sorted
  std::vector<unsigned> bits_;         // which line each is
  jtag::ScanBatch batch_;
  std::size_t scans_ = 0;
  bool reads_ = false, wanted_ = false;
  std::vector<std::uint16_t> words_;
};

PinBus::PinBus(PinScan& scan, BusWires wires) : scan_(scan), wires_(std::move(wires)) {
  checkWires(scan_.ports(), wires_);
}

double PinBus::readSeconds() const {
  return static_cast<double>(scan_.clocksPerScan()) / scan_.chain().port().clockHz();
}

std::vector<std::uint16_t> PinBus::run(const std::vector<spi::BusItem>& items) {
  const PinsDriven driven(scan_, idlePlan(scan_.ports(), wires_, scan_.sample()).cells);
  Cycles cycles(scan_, wires_, driven.cells());
  for (const spi::BusItem& item : items) {
    if (const auto* write = std::get_if<spi::BusWrite>(&item)) cycles.write(*write);
    if (const auto* read = std::get_if<spi::BusRead>(&item)) cycles.read(*read);
    if (const auto* wait = std::get_if<spi::BusWait>(&item)) cycles.wait(wait->time);
  }
  return cycles.finish();
}

}  // namespace imprimo::pins
