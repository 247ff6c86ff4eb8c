// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/flash/address_mode.h"
#include "core/flash/busy_estimate.h"
#include "core/flash/sfdp.h"
#include "core/memory/memory.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// How a part was before anything of it was changed; that is how it is left.
struct FoundModes {
  AddressMode address = AddressMode::Untold;  ///< over 16 MiB, where a command changes it
  std::optional<std::uint8_t> upper;          ///< its register for the upper address byte, where it can be read
  bool writeEnabled = false;
  std::optional<FlashFacts::DeepPowerDown> asleep;  ///< it was in deep power-down, which is left and entered like this
};
/// Reads only. Throws Refused, LinkLost.
FoundModes findModes(spi::SpiPort& port, const memory::Geometry& geometry);

/// A serial NOR flash with the command set that all makers share (read 03, program 02, write enable 06).
///
/// Over 16 MiB the part is brought to 4-byte addresses, where it is known how; otherwise only the lower 16 MiB are
/// reached, and whatever is asked for above throws Refused. Modes are volatile, so each batch of commands sets the
/// ones that it relies on.
class SpiNor : public memory::Memory {
 public:
  SpiNor(spi::SpiPort& port, memory::Geometry geometry, std::string name, FoundModes found = {});
  /// Leaves the part's modes.
  ~SpiNor() override;

  /// Sets the modes that the work relies on, and proves them where that can be done by reading. Throws Refused where it
  /// is proven that the part did not take them; LinkLost.
  void enterModes();
  /// Puts the part back as it was found, and proves it where that can be done. Nothing is sent where it was not touched
  /// since. Throws Refused where it is proven that the part is otherwise; LinkLost.
  void leaveModes();
  bool inItsModes() const { return entered_; }
  /// What the part is put back to; of an earlier run that could not do it.
  const FoundModes& found() const { return found_; }
  void setFound(const FoundModes& found);
  /// Somebody else sent a write enable; leaveModes() looks after it.
  void wasEnabled() { enabled_ = true; }

  const memory::Geometry& geometry() const override { return geometry_; }
  void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) override;
  std::vector<Bytes> readPieces(std::span<const AddressRange> pieces) override;
  /// Reads with the answers that must come, for a port that writes them down: `bytes` from `address` on, at most
  /// `atOnce` (no more than 65000) in one exchange, which begin at multiples of it.
  void expectBytes(std::uint64_t address, ByteSpan bytes, std::size_t atOnce, Progress& progress);
  /// Nothing is learnt of the part's times, and each operation is given its longest: for a port that writes down.
  void waitLongest() { waitsLongest_ = true; }
  void erase(std::span<const memory::EraseBlock> blocks, Progress& progress) override;
  void program(std::span<const memory::PageWrite> pages, Progress& progress) override;

 private:
  enum class Kind { Read, Program, Erase };
  /// A row of commands that each keep the part busy, all for about as long.
  struct Work {
    const char* what;
    BusyEstimate& busy;
    double longest;
    std::size_t count;
    std::function<AddressRange(std::size_t)> range;
    std::function<Bytes(std::size_t)> command;
  };

  /// Commands for the part in its modes.
  struct Batch {
    spi::SpiBatch items;
    std::vector<std::size_t> modeGuards;  ///< items that prove a mode: nothing behind one that fails reaches the part
    std::optional<std::uint8_t> segment;  ///< the upper address byte that was put in place
  };

  void requireReach(const AddressRange& range) const;
  Bytes addressed(Kind kind, std::uint8_t command, std::uint64_t address) const;
  void takeWay();
  Batch begin() const;
  void setModes(Batch& batch) const;
  void proveRegister(Batch& batch, std::uint8_t read, std::uint8_t mask, std::uint8_t value) const;
  /// Throws Refused where a guard of modes was not met.
  spi::SpiAnswers run(const Batch& batch) const;
  /// Throws Refused where reads at `address` or elsewhere show that the part takes three address bytes.
  void requireFourBytes(std::uint64_t address);
  void putAddressModeBack();
  void putEnableBack();
  /// Puts the upper address byte in place where a register holds it.
  void selectSegment(Batch& batch, std::uint64_t address) const;

  std::size_t streamSome(const Work& work, std::size_t from);
  void oneAlone(const Work& work, std::size_t index);
  double seconds(const Bytes& command, const BusyEstimate& busy) const;
  void waitReady(const Work& work, std::uint64_t address);
  [[noreturn]] void throwStillBusy(const Work& work, const AddressRange& range) const;
  void carryOut(const Work& work, Progress& progress);

  spi::SpiPort& port_;
  memory::Geometry geometry_;
  std::string name_;
  FoundModes found_;
  bool fourByte_ = false;             // all addresses have four bytes
  std::vector<Bytes> enter_, leave_;  // commands for the mode, and those that undo it
  bool entered_ = false;
  bool enabled_ = false;                // a write enable was sent since
  std::vector<std::uint64_t> telling_;  // where reading told the address mode

  BusyEstimate pageBusy_;
  std::vector<BusyEstimate> eraseBusy_;  // by type
  int batchesUntilMeasure_ = 0;
  int holdsInARow_ = 0;  // of the first operation that waited in a batch
  bool waitsLongest_ = false;
  bool clockedWaits_ = false;  // where stopping the clock does not seem to let time pass
};

}  // namespace imprimo::flash
