// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/flash/busy_estimate.h"
#include "core/flash/found_modes.h"
#include "core/flash/wide_way.h"
#include "core/memory/memory.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// A serial NOR flash with the command set that all makers share (read 03, program 02, write enable 06).
///
/// Over 16 MiB the part is brought to 4-byte addresses, where it is known how; otherwise only the lower 16 MiB are
/// reached, and whatever is asked for above throws Refused. Modes are volatile, so each batch of commands sets the
/// ones that it relies on.
class SpiNor : public memory::Memory {
 public:
  SpiNor(spi::SpiPort& port, memory::Identity identity, NorCommands commands, std::string name, FoundModes found = {});
  /// Leaves the part's modes.
  ~SpiNor() override;

  void enterModes() override;
  void leaveModes() override;
  bool inItsModes() const override { return entered_; }
  std::string foundModes() const override;
  void setFoundModes(const std::string& json) override;
  Bytes signature() override;
  int equalSignatures(const Bytes& expected, int times) override;

  const memory::Identity& identity() const override { return identity_; }
  void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) override;
  std::vector<Bytes> readPieces(std::span<const AddressRange> pieces) override;
  /// Reads with the answers that must come, for a port that writes them down: `bytes` from `address` on, at most
  /// `atOnce` (no more than 65000) in one exchange, which begin at multiples of it.
  void expectBytes(std::uint64_t address, ByteSpan bytes, std::size_t atOnce, Progress& progress);
  /// Nothing is learnt of the part's times, and each operation is given its longest: for a port that writes down.
  void waitLongest() { waitsLongest_ = true; }
  void erase(std::span<const memory::EraseBlock> blocks, Progress& progress) override;
  void program(std::span<const memory::PageWrite> pages, Progress& progress) override;

 protected:
  spi::SpiPort& port() { return port_; }
  /// What the part is put back to.
  void setFound(const FoundModes& found);
  /// Somebody else sent a write enable; leaveModes() looks after it.
  void wasEnabled() { enabled_ = true; }
  const NorCommands& commands() const { return commands_; }
  /// What a register held before four lines were switched on in it; nothing: they were not.
  std::optional<std::pair<std::string, std::uint8_t>>& linesBefore() { return found_.lines; }
  /// What was proven of more lines than one has to be proven again.
  void forgetWide();
  /// The same part was identified once more.
  void setIdentity(memory::Identity identity) { identity_ = std::move(identity); }

 private:
  enum class Kind { Read, Program, Erase };
  /// Commands for the part in its modes.
  struct Batch {
    spi::SpiBatch items;
    std::vector<std::size_t> modeGuards;  ///< items that prove a mode: nothing behind one that fails reaches the part
    std::optional<std::uint8_t> segment;  ///< the upper address byte that was put in place
    std::optional<std::size_t> linesGuard{};  ///< the item that proves that four lines are still switched on
  };

  /// A row of commands that each keep the part busy, all for about as long.
  struct Work {
    const char* what;
    BusyEstimate& busy;
    double longest;
    std::size_t count;
    std::function<AddressRange(std::size_t)> range;
    std::size_t clocks;  ///< of a command's bytes
    std::function<void(Batch&, std::size_t)> add;
  };

  void requireReach(const AddressRange& range) const;
  Bytes addressed(Kind kind, std::uint8_t command, std::uint64_t address) const;
  void takeWay();
  Batch begin() const;
  Bytes addressBytes(std::uint64_t address) const;
  std::size_t addRead(Batch& batch, std::uint64_t address, std::size_t count) const;
  void addProgram(Batch& batch, const memory::PageWrite& page) const;
  bool fourLinesAreOn() const;
  void tryWide(std::uint64_t address, ByteSpan bytes);
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
  double seconds(const Work& work) const;
  void waitReady(const Work& work, std::uint64_t address);
  [[noreturn]] void throwStillBusy(const Work& work, const AddressRange& range) const;
  void carryOut(const Work& work, Progress& progress);

  spi::SpiPort& port_;
  memory::Identity identity_;
  const memory::Geometry& geometry_ = identity_.geometry;
  NorCommands commands_;
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
  WideWay wide_;
  bool fourKnown_ = false;     // whether four lines are switched on was asked
  bool clockedWaits_ = false;  // where stopping the clock does not seem to let time pass
};

}  // namespace imprimo::flash
