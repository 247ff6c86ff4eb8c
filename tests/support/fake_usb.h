// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <map>

#include "sim/bench.h"

namespace imprimo::test {

/// Stands in for the USB libraries (its .cpp defines their functions): one device on bus 1 that is a simulated bench's
/// probe. Faults are counted in calls.
struct FakeUsb {
  static FakeUsb& the();

  sim::Bench* bench = nullptr;
  int device = 0;       ///< its number on the bus; 0: nothing is plugged in
  int calls = 0;        ///< so far
  int unplugAt = -1;    ///< from this call on it is gone
  int claimResult = 0;  ///< of claiming the interface
  int openResult = 0;
  int inEndpoints = 1;
  int lateBy = 0;  ///< answers that time out before each one that comes
  int lateLeft = 0;
  int emptyPackets = 0;  ///< end marks that were sent
  bool detached = false;
  std::deque<Bytes> answers;    ///< not fetched yet; also left over from somebody before
  std::size_t mostUnread = 0;   ///< bytes of answers that the serial engine had to keep at once
  std::size_t reportSize = 64;  ///< of the HID interface: reports of any other length are not taken
  std::size_t hidReport = 0;    ///< how long the last report was, its number included

  bool gone();
  void take(ByteSpan packet);
  void reset() { *this = FakeUsb(); }
};

}  // namespace imprimo::test
