// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/jtag/chain.h"

namespace imprimo::configure {

/// An instruction of one device, a data scan behind it, a wait in Run-Test/Idle, a data scan that is looked at. All but
/// the instruction may be left out. Run-Test/Idle is entered to wait and for nothing else, since a device may begin to
/// work there; a batch ends with BYPASS where it would otherwise come to rest with an instruction that it did not wait
/// with.
struct DeviceScan {
  BitVector opcode;                 ///< wire order
  BitVector update = {};            ///< to the device's register, wire order; empty: no scan
  std::uint32_t clocks = 0;         ///< of TCK in Run-Test/Idle, at least
  double seconds = 0;               ///< there, at least
  std::size_t captureBits = 0;      ///< that come out afterwards; 0: no scan
  bool captureInstruction = false;  ///< what Capture-IR leaves is wanted too, as an answer of its own in front
  /// What the captured bits of the register, or else of the instruction, are to be, where that is known beforehand.
  std::optional<jtag::Scan::Expected> expected = {};
};

/// Work for one part of a chain while the others are in BYPASS; a batch goes down whole.
class DeviceBatch {
 public:
  DeviceBatch(jtag::Chain& chain, std::size_t position) : chain_(chain), position_(position) {}

  DeviceBatch& add(const DeviceScan& scan);
  DeviceBatch& reset();
  bool empty() const { return batch_.empty(); }
  /// What it takes on the wires, waits included, at the port's clock.
  double seconds() const { return seconds_; }

  /// Runs what was added and begins anew. One answer for each scan that is looked at, in order, the device's bits only.
  std::vector<BitVector> run();

 private:
  void wait(std::uint32_t clocks, double seconds);
  void count(std::size_t clocks);
  void scan(jtag::Register into, BitVector out, std::vector<jtag::BitRange> captures, bool waitsBehind,
            std::optional<jtag::Scan::Expected> expected = {});

  jtag::Chain& chain_;
  std::size_t position_;
  bool inUpdate_ = false;  // the last scan has not left Update yet
  jtag::ScanBatch batch_;
  double seconds_ = 0;
};

/// Shifts all of `bits` into the register behind `opcode` as one data scan, in pieces of at most 50 ms with the clock
/// at rest between them, then waits. A device in front of it makes it see zeros first, one for each. `told` hears how
/// many bits are done. Throws Stopped with the device in BYPASS, and nothing done with what was shifted.
struct LongScan {
  BitVector opcode;
  const BitVector& bits;
  std::uint32_t clocks = 0;
  double seconds = 0;
};
void shiftLong(jtag::Chain& chain, std::size_t position, const LongScan& scan, Progress& progress);

}  // namespace imprimo::configure
