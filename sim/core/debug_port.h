// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "sim/core/core_chip.h"

namespace imprimo::sim {

struct DebugPortModel {
  std::uint32_t dpidr = 0x0C602FFB;  ///< version 2, of no assigned maker
  std::uint32_t targetId = 0x01C60FFB;
  std::uint32_t apIdr = 0x0FFB0001;  ///< a MEM-AP of the same maker
  std::uint32_t base = 0xE00FF003;
  double powerUp = 50e-6;  ///< seconds until a power-up request is acknowledged
  unsigned waitEvery = 0;  ///< every so manieth access to an access port is answered WAIT; 0: none
  double accessTime = 0;   ///< seconds that an access to an access port takes
  bool shared = false;     ///< one of several on the wires of SWD: only TARGETSEL makes it answer (version 2)
  unsigned instance = 0;   ///< TINSTANCE, which tells equal ones apart
  bool dormant = false;    ///< after power-up it waits for the selection alert
  bool packs = false;      ///< narrow accesses to the bus, several with one access to the port
};

/// A debug port and its access ports, from the debug interface's architecture (Arm IHI 0031, ADIv5.2): registers,
/// sticky flags, posted reads, the power-up handshake, and MEM-APs on the buses of chips. How its bits come is the
/// wire's.
class DebugPort {
 public:
  enum class Ack : std::uint8_t { Ok = 1, Wait = 2, Fault = 4 };

  DebugPort(DebugPortModel model, CoreChip& chip) : model_(model), chip_(chip) { accessPorts_[0].chip = &chip; }
  /// Another chip behind an access port of its own.
  void addAccessPort(unsigned number, CoreChip& chip) { accessPorts_[number].chip = &chip; }

  /// `address`: A[3:2] as 0, 4, 8, 12. `data` goes in or comes out where the answer is Ok.
  Ack access(bool ap, bool read, unsigned address, std::uint32_t& data, Time now);
  /// Written data whose parity was wrong.
  void writeDataError() { status_ |= kWriteDataError; }
  /// Before the data phase of a write: would it be taken?
  Ack ready(bool ap, bool read, unsigned address, Time now);
  void powerLost();
  /// Nothing answers.
  bool silent() const { return chip_.portIsSilent(); }
  /// The access before is still under way.
  bool busy(Time now) const { return now < busyUntil_; }
  /// A storm goes on; asking takes a piece of it.
  bool storms() {
    if (!stormAt_ || accesses_ < *stormAt_ || stormLeft_ == 0) return false;
    --stormLeft_;
    ++waits_;
    return true;
  }
  bool detectsOverrun() const { return (request_ & 1) != 0; }
  void overrun() { status_ |= kOverrun; }
  /// What the last read of an access port gave.
  std::uint32_t buffer() const { return buffer_; }
  std::uint64_t waits() const { return waits_; }
  /// So many accesses to access ports came so far; the one of number `n` finds the bus in an error.
  std::uint64_t accesses() const { return accesses_; }
  void faultAtAccess(std::uint64_t n) { faultAt_ = n; }
  /// From that access on so many answers in a row are WAIT.
  void stormAtAccess(std::uint64_t n, unsigned length) {
    stormAt_ = n;
    stormLeft_ = length;
  }
  unsigned version() const { return model_.dpidr >> 12 & 15; }
  const DebugPortModel& model() const { return model_; }
  CoreChip& chip() { return chip_; }

 private:
  static constexpr std::uint32_t kOverrun = 1u << 1, kCompare = 1u << 4, kError = 1u << 5, kReadOk = 1u << 6,
                                 kWriteDataError = 1u << 7;
  bool powered(Time now) const;
  std::uint32_t control(Time now) const;
  /// A MEM-AP.
  struct AccessPort {
    CoreChip* chip = nullptr;
    std::uint32_t csw = 0x03000042, tar = 0;
    bool closed() const { return chip->isOff() || (chip->lock() != nullptr && chip->lock()->closed()); }
  };
  std::uint32_t readPort(AccessPort& port, unsigned address);
  void writePort(AccessPort& port, unsigned address, std::uint32_t data);
  std::uint32_t transfer(AccessPort& port, bool read, std::uint32_t address, std::uint32_t data);
  std::uint32_t dataRegister(AccessPort& port, bool read, std::uint32_t data);
  void increment(AccessPort& port);

  DebugPortModel model_;
  CoreChip& chip_;
  std::uint32_t select_ = 0, request_ = 0, status_ = 0, buffer_ = 0;
  Time requestedAt_ = 0, busyUntil_ = 0;
  std::map<unsigned, AccessPort> accessPorts_;
  std::uint64_t accesses_ = 0, waits_ = 0;
  std::optional<std::uint64_t> faultAt_, stormAt_;
  unsigned stormLeft_ = 0;
};

}  // namespace imprimo::sim
