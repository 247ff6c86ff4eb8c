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

/// How wide each access to the bus is: 1, 2 or 4 bytes.
struct BusWidth {
  std::uint32_t bytes = 4;
  bool packed = false;  ///< several of them with one access to the port (IHI 0031, C2.2.6)
  /// How far one access to the port leads.
  std::uint32_t step() const { return packed ? 4 : bytes; }
  friend bool operator==(const BusWidth&, const BusWidth&) = default;
};

/// What is to be read and written on the bus in one go, in order. Addresses are multiples of what one access leads
/// over.
class BusBatch {
 public:
  explicit BusBatch(BusWidth width = {}) : width_(width) {}
  BusWidth width() const { return width_; }
  void write(std::uint32_t address, std::uint32_t word) { add(address, {word}, 1, false); }
  /// A whole number of words.
  void writeAll(std::uint32_t address, ByteSpan bytes);
  /// What each access carries, narrow ones in their lanes.
  void writeAll(std::uint32_t address, std::vector<std::uint32_t> words);
  void read(std::uint32_t address, std::size_t count = 1) { add(address, {}, count, true); }
  /// What `other` does, behind what is here. Both are of one width.
  void append(const BusBatch& other) { parts_.insert(parts_.end(), other.parts_.begin(), other.parts_.end()); }

  /// Accesses at addresses one behind another, which do not go over the end of a KiB.
  struct Part {
    std::uint32_t address = 0;
    std::vector<std::uint32_t> words{};  ///< what is written, `count` of them; empty for reads
    std::size_t count = 0;
    bool read = false;
  };
  const std::vector<Part>& parts() const { return parts_; }

 private:
  void add(std::uint32_t address, std::vector<std::uint32_t> words, std::size_t count, bool read);
  BusWidth width_;
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
  AccessPort accessPort() const { return ap_; }
  /// Whether its bus is switched on (DeviceEn of CSW); a chip that keeps debuggers out of its memory switches it off.
  bool enabled();
  /// The base of its ROM table without its flag bits; nothing where it has none.
  std::optional<std::uint32_t> base();
  DebugPort& port() { return port_; }

  /// Any address and length. Throws BusFault, LinkLost, BrokenChain.
  void read(std::uint32_t address, std::span<std::uint8_t> out);
  void write(std::uint32_t address, ByteSpan bytes);
  /// The same with accesses of 1, 2 or 4 bytes and no others, for what takes only those; packed where the port can.
  /// Throws Usage where they do not begin and end at multiples of that.
  void readEach(std::uint32_t address, std::span<std::uint8_t> out, std::uint32_t width);
  void writeEach(std::uint32_t address, ByteSpan bytes, std::uint32_t width);
  /// Whether the port packs narrow accesses; asks it once.
  bool packs();
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
  void transfer(std::uint32_t address, std::span<std::uint8_t> bytes, BusWidth width, bool read);
  template <typename Work>
  void inPieces(std::uint32_t address, std::size_t size, Work&& work);
  template <typename Work>
  void ofOneWidth(std::uint32_t address, std::size_t size, std::uint32_t width, Work&& work);
  void setWidth(BusWidth width);
  [[noreturn]] void failed(std::uint32_t address, bool read, probe::PortAnswer answer, std::uint32_t status);

  DebugPort& port_;
  AccessPort ap_;
  std::uint32_t idr_ = 0;
  std::optional<std::uint32_t> csw_;   // what it is now
  std::optional<std::uint32_t> kept_;  // its bits that are not ours, as they were found
  std::optional<bool> packs_;
};

}  // namespace imprimo::debug
