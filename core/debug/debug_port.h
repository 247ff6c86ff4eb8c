// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/base/error.h"
#include "core/probe/swd_port.h"

namespace imprimo::debug {

/// The port would not carry an access out, and putting it in order did not help.
class PortFault : public Error {
 public:
  PortFault(const std::string& sentence, probe::PortAnswer answer, const std::string& remedy = {})
      : Error(ErrorKind::LinkLost, sentence, remedy), answer_(answer) {}
  probe::PortAnswer answer() const { return answer_; }

 private:
  probe::PortAnswer answer_;
};

/// A debug port of ADIv5 (IHI 0031) by the two wires of SWD: brought up, its access ports selected, its sticky flags
/// cleared when an access was refused.
class DebugPort {
 public:
  explicit DebugPort(probe::SwdPort& wires) : wires_(wires) {}

  /// Resets the line, switches the port to SWD, reads DPIDR, and asks for debug and system power until both are
  /// acknowledged. Throws BrokenChain where nothing answers or the power is not acknowledged; LinkLost.
  void connect();
  bool isConnected() const { return connected_; }
  /// Whether debug power has been acknowledged ever since connect(): a port that lost its power forgot it. Throws
  /// LinkLost, and BrokenChain where it no longer answers.
  bool stillPowered();
  std::uint32_t dpidr() const { return dpidr_; }
  /// TARGETID of a version 2 port; nothing for older ones.
  std::optional<std::uint32_t> targetId();

  /// One register of an access port. Throws PortFault.
  std::uint32_t readAp(std::uint8_t ap, std::uint8_t address);
  void writeAp(std::uint8_t ap, std::uint8_t address, std::uint32_t value);

  /// Makes `ap` and the bank of `address` the ones that accesses of a batch reach.
  void select(std::uint8_t ap, std::uint8_t address);
  /// Carries a batch out as it is; the caller sees to what was not done. Throws LinkLost.
  probe::RegisterAnswers access(const probe::RegisterBatch& batch) { return wires_.access(batch); }
  /// After an access that was not answered Ok: clears sticky flags, or where the port is silent resets the line.
  /// Returns CTRL/STAT as it was before. Throws BrokenChain where the port is gone.
  std::uint32_t putInOrder(probe::PortAnswer answer);

  /// Access ports that answer with an IDR, at most `most` of them looked for.
  std::vector<std::uint8_t> accessPorts(unsigned most = 8);

 private:
  probe::RegisterAnswers single(bool ap, bool read, std::uint8_t address, std::uint32_t value);
  bool resetLine();
  std::uint32_t readId();

  probe::SwdPort& wires_;
  std::uint32_t dpidr_ = 0;
  std::optional<std::uint32_t> select_;
  bool connected_ = false;
};

/// "DAP version 2, maker 0x7D of bank 16"
std::string dpidrText(std::uint32_t dpidr);

}  // namespace imprimo::debug
