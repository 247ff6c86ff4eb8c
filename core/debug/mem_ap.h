// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <vector>

#include "core/base/bytes.h"
#include "core/debug/debug_port.h"

namespace imprimo::debug {

/// An access to the bus was answered by an error; at() is its address.
class BusFault : public Error {
 public:
  BusFault(std::uint32_t address, bool read);
};

/// Words to be read and written on the bus in one go, in order. Addresses are multiples of 4.
class BusBatch {
 public:
  void write(std::uint32_t address, std::uint32_t word) { add(address, {word}, 1, false); }
  /// A whole number of words.
  void writeAll(std::uint32_t address, ByteSpan bytes);
  void read(std::uint32_t address, std::size_t count = 1) { add(address, {}, count, true); }
  /// What `other` does, behind what is here.
  void append(const BusBatch& other) { parts_.insert(parts_.end(), other.parts_.begin(), other.parts_.end()); }

  /// Words at addresses one behind another, which do not go over the end of a KiB.
  struct Part {
    std::uint32_t address = 0;
    std::vector<std::uint32_t> words{};  ///< what is written, `count` of them; empty for reads
    std::size_t count = 0;
    bool read = false;
  };
  const std::vector<Part>& parts() const { return parts_; }

 private:
  void add(std::uint32_t address, std::vector<std::uint32_t> words, std::size_t count, bool read);
  std::vector<Part> parts_;
};

/// The bus behind a memory access port (MEM-AP): words in bulk, with the increment that is guaranteed within 1 KiB
/// (IHI 0031, C2.2.2), bytes at the ends. What fails is taken up again where it failed; only what stays broken is an
/// error.
class MemAp {
 public:
  MemAp(DebugPort& port, AccessPort ap) : port_(port), ap_(ap) {}
  /// Throws Refused where this is no MEM-AP.
  void identify();
  std::uint32_t idr() const { return idr_; }
  /// The base of its ROM table without its flag bits; nothing where it has none.
  std::optional<std::uint32_t> base();
  DebugPort& port() { return port_; }

  /// Any address and length. Throws BusFault, LinkLost, BrokenChain.
  void read(std::uint32_t address, std::span<std::uint8_t> out);
  void write(std::uint32_t address, ByteSpan bytes);
  std::uint32_t readWord(std::uint32_t address);
  void writeWord(std::uint32_t address, std::uint32_t word);
  /// What the reads gave, in order. What is written where an access failed may be written twice.
  std::vector<std::uint32_t> run(const BusBatch& batch);
  /// Nothing of what the port was told is believed any more.
  void forget() { csw_.reset(); }

 private:
  /// Where in a batch the work stands.
  struct Place {
    std::size_t part = 0, word = 0;
    friend auto operator<=>(const Place&, const Place&) = default;
  };
  probe::RegisterBatch accessesFrom(const BusBatch& batch, Place from) const;
  static Place reached(const BusBatch& batch, Place from, std::size_t done);
  static Place before(const BusBatch& batch, Place place);
  void narrow(std::uint32_t address, std::uint8_t& byte, bool read);
  void setSize(std::uint32_t size, bool increment);
  [[noreturn]] void failed(std::uint32_t address, bool read, probe::PortAnswer answer, std::uint32_t status);

  DebugPort& port_;
  AccessPort ap_;
  std::uint32_t idr_ = 0;
  std::optional<std::uint32_t> csw_;   // what it is now
  std::optional<std::uint32_t> kept_;  // its bits that are not ours, as they were found
};

}  // namespace imprimo::debug
