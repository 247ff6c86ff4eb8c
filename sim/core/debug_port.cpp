// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/core/debug_port.h"

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kPowerRequests = 1u << 28 | 1u << 30;
constexpr std::uint32_t kDeviceEnabled = 1u << 6;
constexpr std::uint32_t kNothingYet = 0x5EED5EED;  // what a posted read gives that nobody asked for

}  // namespace

bool DebugPort::powered(Time now) const {
  return (request_ & 1u << 28) != 0 && now >= requestedAt_ + fromSeconds(model_.powerUp);
}

std::uint32_t DebugPort::control(Time now) const {
  std::uint32_t value = request_ | status_;
  if (now >= requestedAt_ + fromSeconds(model_.powerUp)) value |= (request_ & kPowerRequests) << 1;
  return value;
}

void DebugPort::powerLost() {
  select_ = request_ = status_ = 0;
  busyUntil_ = 0;
  buffer_ = kNothingYet;
}

DebugPort::Ack DebugPort::ready(bool ap, bool read, unsigned address, Time now) {
  const bool sticky = (status_ & (kOverrun | kCompare | kError | kWriteDataError)) != 0;
  if (ap) {
    if (sticky || !powered(now)) {
      if (!powered(now)) status_ |= kError;
      return Ack::Fault;
    }
    if (busy(now)) {
      ++waits_;
      return Ack::Wait;
    }
    if (storms()) return Ack::Wait;
    ++accesses_;
    if (faultAt_ == accesses_) {
      faultAt_.reset();
      status_ |= kError;
      return Ack::Fault;
    }
    if (model_.waitEvery != 0 && accesses_ % model_.waitEvery == 0) {
      ++waits_;
      return Ack::Wait;
    }
    return Ack::Ok;
  }
  // With a sticky flag only DPIDR, CTRL/STAT and ABORT are answered (B4.2.5).
  if (sticky && !(read && (address == 0 || (address == 4 && (select_ & 15) == 0))) && !(!read && address == 0))
    return Ack::Fault;
  return Ack::Ok;
}

DebugPort::Ack DebugPort::access(bool ap, bool read, unsigned address, std::uint32_t& data, Time now) {
  for (auto& [number, port] : accessPorts_) port.chip->advance(now);
  if (ap) {
    busyUntil_ = now + fromSeconds(model_.accessTime);
    const std::uint32_t reg = (select_ & 0xF0) | address;
    if (select_ >> 24 == 1 && chip_.lock() != nullptr) {
      if (read) {
        data = buffer_;
        buffer_ = chip_.lockLoad(reg);
      } else {
        chip_.lockStore(reg, data);
      }
      return Ack::Ok;
    }
    const auto port = accessPorts_.find(select_ >> 24);
    if (port == accessPorts_.end()) {  // an absent one reads as zero
      if (read) {
        data = buffer_;
        buffer_ = 0;
      }
      return Ack::Ok;
    }
    if (read) {
      data = buffer_;
      buffer_ = readPort(port->second, reg);
    } else {
      writePort(port->second, reg, data);
    }
    return Ack::Ok;
  }
  if (!read) {
    switch (address) {
      case 0x0:
        if (version() == 0) break;  // version 0 has nothing but DAPABORT here
        if ((data & 1u << 1) != 0) status_ &= ~kCompare;
        if ((data & 1u << 2) != 0) status_ &= ~kError;
        if ((data & 1u << 3) != 0) status_ &= ~kWriteDataError;
        if ((data & 1u << 4) != 0) status_ &= ~kOverrun;
        break;
      case 0x4:
        if ((select_ & 15) == 0) {
          if ((data & kPowerRequests & ~request_) != 0) requestedAt_ = now;
          request_ = data & (kPowerRequests | 0x00FFFF0D);
          if (version() == 0) status_ &= ~data;
        }
        break;
      case 0x8:
        select_ = data;
        break;
      default:
        break;
    }
    return Ack::Ok;
  }
  switch (address) {
    case 0x0:
      data = version() == 0 ? 0 : model_.dpidr;
      break;
    case 0x4:
      data = (select_ & 15) == 0   ? control(now)
             : (select_ & 15) == 1 ? 0x40
             : (select_ & 15) == 2 ? model_.targetId
                                   : 0;
      break;
    case 0x8:  // RESEND
    default:
      data = buffer_;
      status_ |= kReadOk;
      break;
  }
  return Ack::Ok;
}

std::uint32_t DebugPort::readPort(AccessPort& port, unsigned address) {
  switch (address) {
    case 0x00:
      return port.closed() ? port.csw & ~kDeviceEnabled : port.csw;
    case 0x04:
      return port.tar;
    case 0x0C:
      return dataRegister(port, true, 0);
    case 0x10:
    case 0x14:
    case 0x18:
    case 0x1C:
      return transfer(port, true, (port.tar & ~15u) | (address & 12), 0);
    case 0xF4:
      return 0;
    case 0xF8:
      return model_.base;
    case 0xFC:
      return model_.apIdr;
    default:
      return 0;
  }
}

void DebugPort::writePort(AccessPort& port, unsigned address, std::uint32_t data) {
  switch (address) {
    case 0x00: {
      // Sizes: byte, halfword, word. What it cannot do it does not keep. DeviceEn and TrInProg are read-only.
      const std::uint32_t size = (data & 7) <= 2 ? data & 7 : 2, asked = data >> 4 & 3;
      const std::uint32_t step = asked == 1 || (asked == 2 && model_.packs) ? asked << 4 : 0;
      port.csw = (data & 0x7F000000) | 0x40 | step | size;
      return;
    }
    case 0x04:
      port.tar = data;
      return;
    case 0x0C:
      dataRegister(port, false, data);
      return;
    case 0x10:
    case 0x14:
    case 0x18:
    case 0x1C:
      transfer(port, false, (port.tar & ~15u) | (address & 12), data);
      return;
    default:
      return;
  }
}

/// DRW: one access to the bus, or with packed transfers as many as there are lanes from the address on (C2.2.6).
std::uint32_t DebugPort::dataRegister(AccessPort& port, bool read, std::uint32_t data) {
  const bool packed = (port.csw >> 4 & 3) == 2;
  std::uint32_t value = 0;
  do {
    value |= transfer(port, read, port.tar, data);
    increment(port);
  } while (packed && (port.tar & 3) != 0 && (status_ & kError) == 0);
  return value;
}

/// One access to the bus in the size that CSW has, with the bytes in their lanes.
std::uint32_t DebugPort::transfer(AccessPort& port, bool read, std::uint32_t address, std::uint32_t data) {
  const unsigned bytes = 1u << (port.csw & 3), lane = 8 * (address & 3 & ~(bytes - 1));
  const std::uint32_t mask = bytes == 4 ? ~0u : (1u << (8 * bytes)) - 1;
  if ((address & (bytes - 1)) == 0 && !port.closed()) {
    if (read) {
      if (const auto value = port.chip->debugLoad(address, bytes)) return *value << lane;
    } else if (port.chip->debugStore(address, bytes, data >> lane & mask)) {
      return 0;
    }
  }
  status_ |= kError;
  return 0;
}

/// Only the lowest ten bits go on by themselves: that is what every port guarantees, and this one does no more.
void DebugPort::increment(AccessPort& port) {
  if ((port.csw >> 4 & 3) == 0 || (status_ & kError) != 0) return;
  const std::uint32_t step = 1u << (port.csw & 3);
  port.tar = (port.tar & ~0x3FFu) | ((port.tar + step) & 0x3FF);
}

}  // namespace imprimo::sim
