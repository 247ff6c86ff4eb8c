// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/debug/port_wires.h"

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

/// Where an access port is: its number behind a port of ADIv5, or the base address of its registers with ADIv6 (IHI
/// 0074), whose numbers are all above those.
struct AccessPort {
  std::uint32_t at = 0;
  bool byAddress() const { return at > 0xFF; }
  std::string words() const;  ///< "access port 0", "access port at 0x00002000"
  friend bool operator==(const AccessPort&, const AccessPort&) = default;
};

/// A debug port of ADIv5 (IHI 0031) or ADIv6 (IHI 0074): brought up, its access ports selected, its sticky flags
/// cleared when an access was refused.
class DebugPort {
 public:
  explicit DebugPort(PortWires& wires) : wires_(wires) {}

  /// Makes the port listen, reads DPIDR, and asks for debug and system power until both are acknowledged. Throws
  /// BrokenChain where nothing answers or the power is not acknowledged; LinkLost.
  void connect();
  bool isConnected() const { return connected_; }
  /// How often that succeeded.
  std::uint64_t connections() const { return connections_; }
  /// Whether debug power has been acknowledged ever since connect(): a port that lost its power forgot it. Throws
  /// LinkLost, and BrokenChain where it no longer answers.
  bool stillPowered();
  /// DPIDR; the device's IDCODE for a JTAG port of version 0.
  std::uint32_t dpidr() const { return dpidr_; }
  unsigned version() const { return wires_.hasDpidr() ? dpidr_ >> 12 & 15 : 0; }
  PortWires& wires() { return wires_; }
  /// TARGETID of a version 2 port; nothing for older ones.
  std::optional<std::uint32_t> targetId();

  /// One register of an access port, by its offset with ADIv5. Throws PortFault.
  std::uint32_t readAp(AccessPort ap, std::uint8_t address);
  void writeAp(AccessPort ap, std::uint8_t address, std::uint32_t value);

  /// One register of the port itself, in the bank that is selected. Writing SELECT is allowed. Throws PortFault.
  std::uint32_t readDp(std::uint8_t address);
  void writeDp(std::uint8_t address, std::uint32_t value);

  /// Makes `ap` and the bank of `address` the ones that accesses of a batch reach.
  void select(AccessPort ap, std::uint8_t address);
  /// Carries a batch out as it is; the caller sees to what was not done. Throws LinkLost.
  probe::RegisterAnswers access(const probe::RegisterBatch& batch) { return wires_.access(batch); }
  /// After an access that was not answered Ok: clears sticky flags, or where the port is silent makes it listen anew.
  /// Returns CTRL/STAT as it was before. Throws BrokenChain where the port is gone.
  std::uint32_t putInOrder(probe::PortAnswer answer);

  /// Access ports that answer with an IDR: at most `most` numbers are looked for with ADIv5; with ADIv6 those that the
  /// port's own ROM table names.
  std::vector<AccessPort> accessPorts(unsigned most = 8);

 private:
  probe::RegisterAnswers single(bool ap, bool read, std::uint8_t address, std::uint32_t value);
  probe::RegisterAnswers tried(AccessPort ap, bool read, std::uint8_t address, std::uint32_t value);
  void selectValue(std::uint32_t value, const std::string& what);
  std::vector<AccessPort> portsOfTable();
  std::optional<std::uint32_t> bankRegister(std::uint8_t bank, std::uint8_t address);
  std::uint32_t readId();
  [[noreturn]] void gone();

  PortWires& wires_;
  std::uint32_t dpidr_ = 0;
  std::optional<std::uint32_t> select_;
  bool connected_ = false;
  std::uint64_t connections_ = 0;
};

/// "DAP version 2, maker 0x7D of bank 16"
std::string dpidrText(std::uint32_t dpidr);

}  // namespace imprimo::debug
