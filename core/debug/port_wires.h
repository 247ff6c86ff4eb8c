// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

#include "core/probe/swd_port.h"

namespace imprimo::debug {

/// CDBGPWRUPREQ and CSYSPWRUPREQ of CTRL/STAT; each is acknowledged by the bit above it.
inline constexpr std::uint32_t kPowerRequests = 0x50000000;

/// How often an access is repeated that came too early: the way to the port leaves more time at each.
inline constexpr int kOverruns = 24;

/// The way to a debug port: two wires, or scans through a chain.
class PortWires {
 public:
  virtual ~PortWires() = default;
  virtual const char* name() const = 0;  ///< "SWD", "JTAG"
  /// Makes the port listen, whatever it was left in, and reads DPIDR, the only word of the answer. Throws LinkLost.
  virtual probe::RegisterAnswers wake() = 0;
  /// The same for a port that listened before and no longer answers.
  virtual probe::RegisterAnswers wakeAgain() { return wake(); }
  /// As probe::SwdPort::access. An answer of Overrun: the port had no time for what comes from `done` on; once its
  /// flags are cleared the rest can be asked anew.
  virtual probe::RegisterAnswers access(const probe::RegisterBatch& batch) = 0;
  /// As probe::SwdPort has them.
  virtual std::chrono::nanoseconds now() const = 0;
  virtual void pass(std::chrono::microseconds time) = 0;
  /// Whether a write that the port took may be what the answer to the access after it is about.
  virtual bool tellsLate() const { return true; }
  /// False: what wake() read is the IDCODE of a port of version 0, which has no DPIDR.
  virtual bool hasDpidr() const { return true; }
  /// Bits of CTRL/STAT that this way needs, beside the power requests.
  virtual std::uint32_t controlBits() const { return 0; }
};

}  // namespace imprimo::debug
