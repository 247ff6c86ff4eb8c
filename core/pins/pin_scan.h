// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <string>

#include "core/jtag/chain.h"
#include "core/pins/pin_levels.h"

namespace imprimo::pins {

/// The instructions that reach a boundary register, in wire order.
struct BoundaryOpcodes {
  /// Throws BadFile where the description has no SAMPLE or PRELOAD.
  explicit BoundaryOpcodes(const bsdl::BoundaryDescription& description);
  /// Throws Refused where there is none.
  void requireExtest(const std::string& device) const;
  BitVector sample, preload;
  std::optional<BitVector> extest;
};

/// The boundary register of one device of a chain, in use. SAMPLE disturbs nothing; what is driven begins with PRELOAD,
/// and ends in Test-Logic-Reset, at the latest when this goes.
class PinScan {
 public:
  /// `name`: of the device, for messages. Throws BadFile where the description has no SAMPLE, or no cells.
  PinScan(jtag::Chain& chain, std::size_t position, const bsdl::BoundaryDescription& description, std::string name);
  ~PinScan();
  PinScan(const PinScan&) = delete;
  PinScan& operator=(const PinScan&) = delete;

  const BoundaryPorts& ports() const { return ports_; }
  const std::string& name() const { return name_; }
  /// What is captured now, once or several times in a row, as fast as the probe does it; cell 0 first. Throws LinkLost.
  BitVector sample() { return sample(1).front(); }
  std::vector<BitVector> sample(std::size_t count);
  /// Brings these cells to the pins: PRELOAD and EXTEST at first, EXTEST alone afterwards. Throws Refused where the
  /// description has no EXTEST, LinkLost.
  void drive(const BitVector& cells);
  /// What is at the pins while they are driven: `cells` go on. Throws LinkLost.
  BitVector exchange(const BitVector& cells) { return exchange(cells, 1).front(); }
  std::vector<BitVector> exchange(const BitVector& cells, std::size_t count);
  /// The same with other cells for each.
  std::vector<BitVector> exchange(const std::vector<BitVector>& cells);
  bool drives() const { return drives_; }
  std::size_t position() const { return position_; }
  /// Another device of the chain that is sampled in the same scans; null: none. It has to live as long.
  void setCompanion(const PinScan* other) { companion_ = other; }
  /// What sample() or exchange() captured of it last, one for each.
  const std::vector<BitVector>& companionCaptures() const { return companionCaptures_; }
  /// All pins are the device's own again. Throws LinkLost.
  void letGo();

  /// One scan of the register while it drives, for whoever makes batches of them; `captured`: cells whose level is
  /// wanted, sorted.
  jtag::Scan scan(const BitVector& cells, std::span<const std::uint32_t> captured) const;
  jtag::Chain& chain() { return chain_; }
  /// Clocks of one scan.
  std::uint32_t clocksPerScan() const;

 private:
  std::vector<BitVector> captures(jtag::ScanBatch& batch);
  jtag::Scan wholeScan(const BitVector& cells) const;
  void select(const BitVector& opcode);
  std::size_t bitsOf(std::size_t position) const;
  std::size_t bitsAfter() const;

  jtag::Chain& chain_;
  std::size_t position_;
  std::string name_;
  BoundaryPorts ports_;
  BoundaryOpcodes opcodes_;
  bool drives_ = false;
  const PinScan* companion_ = nullptr;
  std::vector<BitVector> companionCaptures_;
};

/// Pins that are driven as long as this lives, and are the device's own afterwards, whatever happens.
class PinsDriven {
 public:
  /// Throws as PinScan::drive().
  PinsDriven(PinScan& scan, BitVector cells) : scan_(scan), cells_(std::move(cells)) { scan_.drive(cells_); }
  ~PinsDriven();
  PinsDriven(const PinsDriven&) = delete;
  PinsDriven& operator=(const PinsDriven&) = delete;
  const BitVector& cells() const { return cells_; }

 private:
  PinScan& scan_;
  BitVector cells_;
};

}  // namespace imprimo::pins
