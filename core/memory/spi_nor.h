// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/memory/busy_estimate.h"
#include "core/memory/memory.h"
#include "core/spi/spi_batch.h"

namespace imprimo::memory {

/// A serial NOR flash with the command set that all makers share (read 03, program 02, write enable 06).
class SpiNor : public Memory {
 public:
  /// Over 16 MiB the part is brought to 4-byte addresses, where it is known how; otherwise only the lower 16 MiB are
  /// reached, and whatever is asked for above throws Refused.
  SpiNor(spi::SpiPort& port, Geometry geometry, std::string name);
  /// Back to 3-byte addresses, so that whoever boots from the part finds it as it was.
  ~SpiNor() override;

  const Geometry& geometry() const override { return geometry_; }
  void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) override;
  std::vector<Bytes> readPieces(std::span<const AddressRange> pieces) override;
  /// Reads with the answers that must come, for a port that writes them down: `bytes` from `address` on, at most
  /// `atOnce` (no more than 65000) in one exchange, which begin at multiples of it.
  void expectBytes(std::uint64_t address, ByteSpan bytes, std::size_t atOnce, Progress& progress);
  /// Nothing is learnt of the part's times, and each operation is given its longest: for a port that writes down.
  void waitLongest() { waitsLongest_ = true; }
  void erase(std::span<const EraseBlock> blocks, Progress& progress) override;
  void program(std::span<const PageWrite> pages, Progress& progress) override;

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

  void requireReach(const AddressRange& range) const;
  Bytes addressed(Kind kind, std::uint8_t command, std::uint64_t address) const;
  void enterFourByte();
  void sendModes(const Bytes& commands);
  /// Puts the upper address byte in place where a register holds it.
  void selectSegment(spi::SpiBatch& batch, std::uint64_t address, std::optional<std::uint8_t>& now) const;

  std::size_t streamSome(const Work& work, std::size_t from);
  void oneAlone(const Work& work, std::size_t index);
  double seconds(const Bytes& command, const BusyEstimate& busy) const;
  void waitReady(const Work& work, std::uint64_t address);
  [[noreturn]] void throwStillBusy(const Work& work, const AddressRange& range) const;
  void carryOut(const Work& work, Progress& progress);

  spi::SpiPort& port_;
  Geometry geometry_;
  std::string name_;
  bool fourByte_ = false;     // all addresses have four bytes
  std::vector<Bytes> leave_;  // commands that undo the mode

  BusyEstimate pageBusy_;
  std::vector<BusyEstimate> eraseBusy_;  // by type
  int batchesUntilMeasure_ = 0;
  int holdsInARow_ = 0;  // of the first operation that waited in a batch
  bool waitsLongest_ = false;
  bool clockedWaits_ = false;  // where stopping the clock does not seem to let time pass
};

}  // namespace imprimo::memory
