// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/jtag/jtag_port.h"

namespace imprimo::probe {

struct ProbeInfo {
  std::string address;  ///< "tcp:localhost:4711"
  std::string vendor, product, serial, firmware;
  std::size_t packetSize = 64;
  std::size_t packetCount = 1;
};

/// A debug probe: runs scan batches, and has a few pins beside the TAP.
class Probe : public jtag::JtagPort {
 public:
  virtual const ProbeInfo& info() const = 0;
  /// Holds the target's reset (nRESET) low for `time`, then lets it go. The TAP's state is unknown afterwards.
  virtual void pulseReset(std::chrono::milliseconds time) = 0;
};

}  // namespace imprimo::probe
