// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/cores.h"
#include "core/memory/memory.h"

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

/// Flash in the address space of a core: read over its bus, erased and programmed by a flash algorithm in its RAM.
class CoreFlash : public memory::Memory {
 public:
  CoreFlash(BenchCore& core, std::shared_ptr<const debug::FlashAlgorithm> algorithm, const debug::CoreRegion& region);

  const memory::Identity& identity() const override { return identity_; }
  void read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) override;
  std::vector<Bytes> readPieces(std::span<const AddressRange> pieces) override;
  void erase(std::span<const memory::EraseBlock> blocks, Progress& progress) override;
  void program(std::span<const memory::PageWrite> pages, Progress& progress) override;
  void leaveModes() override { core_.endAlgorithm(); }
  Bytes signature() override;

 private:
  BenchCore& core_;
  std::shared_ptr<const debug::FlashAlgorithm> algorithm_;
  memory::Identity identity_;
};

}  // namespace imprimo::bench
