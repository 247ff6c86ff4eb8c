// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>

#include "core/flash/cfi.h"
#include "core/memory/memory.h"
#include "core/spi/parallel_bus.h"

namespace imprimo::flash {

/// A parallel flash that has a query table (JESD68.01), by command set 1 or 2 (JEP137). Of 16 data lines the lower
/// eight are the byte at the lower address.
class ParallelNor : public memory::Memory {
 public:
  /// Asks for its table and its maker. Throws UnknownFlash, Refused where two answers differ, LinkLost.
  ParallelNor(spi::ParallelBus& bus, std::string name);
  ~ParallelNor() override;

  const memory::Identity& identity() const override { return identity_; }
  void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) override;
  std::vector<Bytes> readPieces(std::span<const AddressRange> pieces) override;
  /// A block of command set 1 that is locked is opened for it, and locked again by leaveModes().
  void erase(std::span<const memory::EraseBlock> blocks, Progress& progress) override;
  void program(std::span<const memory::PageWrite> pages, Progress& progress) override;
  void leaveModes() override;
  bool inItsModes() const override { return !touched_ && locked_.empty(); }
  Bytes signature() override;

 private:
  using Items = std::vector<spi::BusItem>;

  std::uint32_t bytesPerWord() const { return bus_.dataBits() / 8; }
  std::uint32_t wordOf(std::uint64_t address) const { return static_cast<std::uint32_t>(address / bytesPerWord()); }
  std::vector<std::uint16_t> run(const Items& items);
  void identify();
  Bytes queryTable(std::uint32_t at, std::uint32_t step);
  Bytes readBytes(const AddressRange& range);
  void toArray(Items& items) const;
  /// The two accesses that come before a command of command set 2.
  void open(Items& items) const;
  void command(Items& items, std::uint16_t code) const;
  void waitReady(std::uint32_t at, double typical, double longest, bool erases, std::uint64_t address,
                 std::uint16_t expected);
  void checkStatus(std::uint16_t status, bool erases, std::uint64_t address);
  void unlock(std::uint32_t word);
  void programPage(const memory::PageWrite& page);
  void programWord(std::uint64_t address, std::uint16_t data);

  spi::ParallelBus& bus_;
  std::string name_;
  Cfi cfi_;
  bool byteMode_ = false;  // a part for 16 bits on 8 data lines: its table has every byte twice
  memory::Identity identity_;
  std::vector<std::uint32_t> locked_;  // blocks that were locked, and are again afterwards
  bool touched_ = false;               // it may not be in the mode in which it is read
};

}  // namespace imprimo::flash
