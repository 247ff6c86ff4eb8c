// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/cores/core_memory.h"
#include "core/debug/sector_sums.h"

namespace imprimo::bench {

/// What an algorithm and a card say of a core's flash.
memory::Geometry geometryOf(const debug::FlashAlgorithm& algorithm, const debug::CoreRegion& region);

/// What is known of a core's flash beside its identity.
class CoreFlashDetails : public memory::Details {
 public:
  CoreFlashDetails(std::shared_ptr<const debug::FlashAlgorithm> algorithm, debug::CoreRegion region)
      : algorithm_(std::move(algorithm)), region_(std::move(region)) {}
  std::string card(const std::string& name, bool indent) const override;
  nlohmann::ordered_json json(const memory::Identity& identity, bool tables) const override;
  std::string text(const std::string& name, const memory::Identity& identity, bool tables) const override;

 private:
  std::shared_ptr<const debug::FlashAlgorithm> algorithm_;
  debug::CoreRegion region_;
};

/// Flash in the address space of a core: erased and programmed by a flash algorithm in its RAM.
class CoreFlash : public CoreMemory, public memory::Comparing {
 public:
  CoreFlash(BenchCore& core, std::shared_ptr<const debug::FlashAlgorithm> algorithm, const debug::CoreRegion& region);

  void erase(std::span<const memory::EraseBlock> blocks, Progress& progress) override;
  void program(std::span<const memory::PageWrite> pages, Progress& progress) override;
  /// The core makes the sums itself; null for one that is not to be halted.
  memory::Comparing* comparing() override;
  std::vector<std::optional<std::uint64_t>> sums(std::span<const AddressRange> blocks) override;
  std::uint64_t sumOf(ByteSpan bytes) const override { return debug::sumOf(bytes); }

 protected:
  /// A flash beside the chip is in the address space only while its algorithm is not at it.
  void beforeReading() override;

 private:
  std::shared_ptr<const debug::FlashAlgorithm> algorithm_;
  AddressRange ram_;  // where it runs
};

}  // namespace imprimo::bench
