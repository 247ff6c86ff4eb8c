// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <optional>
#include <string>
#include <vector>

#include "core/memory/memory.h"
#include "core/memory/part_card.h"
#include "core/spi/spi_batch.h"

namespace imprimo::memory {

/// Who a serial flash says it is.
struct FlashIdentity {
  FlashId id;
  int idReads = 0;       ///< how many times the ID was read
  int idReadsEqual = 0;  ///< how many of them were as the first
  bool sfdp = false;     ///< it has the SFDP signature
  Geometry geometry;
  std::string source;  ///< "sfdp" or "card"
};

/// Reads ID and parameter table; a card, where given, must carry the same ID and goes before the table. Sends nothing
/// but reads. Throws UnknownFlash when nothing answers or nothing describes the part, Refused when the card is for
/// another part or the ID does not stay the same.
FlashIdentity identifyFlash(spi::SpiPort& port, const std::string& name, const std::optional<PartCard>& card);

/// A serial NOR flash with the command set that all makers share (read 03, program 02, write enable 06, status 05).
class SpiNor : public Memory {
 public:
  /// Over 16 MiB the part is brought to 4-byte addresses. Throws Refused when it is not known how.
  SpiNor(spi::SpiPort& port, Geometry geometry, std::string name);
  /// Back to 3-byte addresses, so that whoever boots from the part finds it as it was.
  ~SpiNor() override;

  const Geometry& geometry() const override { return geometry_; }
  void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) override;
  void erase(std::span<const EraseBlock> blocks, Progress& progress) override;
  void program(std::span<const PageWrite> pages, Progress& progress) override;

 private:
  Bytes addressed(std::uint8_t command, std::uint64_t address) const;
  void enterFourByte();
  void waitReady(std::chrono::microseconds typical, double longest, std::uint64_t address, const char* what);
  std::size_t programBatch(std::span<const PageWrite> pages);
  double pageSeconds(const PageWrite& page) const;
  void learn(const Bytes& statusBytes);
  std::chrono::microseconds pageWait() const;

  spi::SpiPort& port_;
  Geometry geometry_;
  std::string name_;
  bool fourByte_ = false;
  Bytes leaveFourByte_;  // commands, one byte each

  // How long a page takes on this very part: measured now and then by reading the status all the while; the other
  // pages wait that long in the stream. A guard that held makes the margin larger.
  double pageBusy_;
  double margin_;
  bool measured_ = false;
  int batchesUntilMeasure_ = 0;
  int holdsInARow_ = 0;        // of the first page that waited in a batch
  bool clockedWaits_ = false;  // where stopping the clock does not seem to let time pass
};

}  // namespace imprimo::memory
