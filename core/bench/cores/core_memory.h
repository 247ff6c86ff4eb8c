// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/cores/cores.h"
#include "core/memory/memory.h"
#include "core/sheet/core_route.h"

namespace imprimo::bench {

/// The route of a core's memory. Throws Usage for one that leads to no core.
const sheet::CoreRoute& coreRouteOf(const sheet::MemoryEntry& entry);

/// The region of its route. Throws Usage where it is of the other kind.
const debug::CoreRegion& regionOf(const debug::CoreCard& card, const sheet::MemoryEntry& entry, bool flash);

/// The RAM of a core on paper, where its stack may be: from the first byte of its card's regions to the last. Nothing
/// for a memory of another kind. Throws BadFile.
std::optional<AddressRange> ramOnPaper(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry);

/// Something in the address space of a core, read over its bus while it goes on or stands still.
class CoreMemory : public memory::Memory {
 public:
  const memory::Identity& identity() const override { return identity_; }
  void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) override;
  std::vector<Bytes> readPieces(std::span<const AddressRange> pieces) override;
  Bytes signature() override;
  void beginRun(bool changes) override {
    if (changes) core_.requireMayHalt();
  }
  /// A core whose memories are as they were goes on as it was found.
  void leaveModes() override { core_.letGo(); }

 protected:
  /// Says who the core is.
  CoreMemory(BenchCore& core, memory::Geometry geometry);
  /// Before bytes of it are read.
  virtual void beforeReading() {}
  static void requireNotStopped(const Progress& progress, std::uint64_t at);

  BenchCore& core_;
  memory::Identity identity_;
};

}  // namespace imprimo::bench
