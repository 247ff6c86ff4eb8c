// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/sector_sums.h"

#include <fmt/format.h>

#include <bit>

#include "core/base/number.h"
#include "core/debug/bus_words.h"
#include "core/debug/resident_code.h"

namespace imprimo::debug {
namespace {

constexpr std::uint32_t kReturn = 0xBE00BE00;
constexpr std::uint32_t kSumBytes = 8, kCodeAt = 8;
constexpr std::uint32_t kSumsAt = kCodeAt + (sizeof kChecksumCode + 7) / 8 * 8;
/// A core that sums less in a second has lost its clock.
constexpr std::uint64_t kSlowest = 100'000;

/// The routine with the breakpoint that it returns to.
Bytes routine() {
  Bytes bytes(kSumsAt, 0);
  for (unsigned i = 0; i < 4; ++i) bytes[i] = static_cast<std::uint8_t>(kReturn >> (8 * i));
  for (std::size_t i = 0; i < std::size(kChecksumCode); ++i) {
    bytes[kCodeAt + 2 * i] = static_cast<std::uint8_t>(kChecksumCode[i]);
    bytes[kCodeAt + 2 * i + 1] = static_cast<std::uint8_t>(kChecksumCode[i] >> 8);
  }
  return bytes;
}

/// Words of RAM as they were, written again when this goes.
class RamKept {
 public:
  RamKept(MemAp& bus, std::uint32_t at) : bus_(bus), at_(at) {}
  ~RamKept() {
    if (words_.empty()) return;
    try {
      BusBatch batch;
      add(batch);
      bus_.run(batch);
    } catch (const Error&) {
      // It cannot be reached, and nothing is known of it.
    }
  }
  RamKept(const RamKept&) = delete;
  RamKept& operator=(const RamKept&) = delete;
  void keep(std::vector<std::uint32_t> words) { words_ = std::move(words); }
  void add(BusBatch& batch) const { batch.writeAll(at_, bytesOf(words_)); }
  void putBack() { words_.clear(); }

 private:
  MemAp& bus_;
  std::uint32_t at_;
  std::vector<std::uint32_t> words_;
};

void sumSome(Core& core, const AddressRange& ram, std::uint32_t from, std::uint32_t size, std::size_t count,
             std::vector<std::uint64_t>& sums) {
  const auto at = static_cast<std::uint32_t>((ram.begin + 7) & ~7ull);
  const std::uint32_t results = at + kSumsAt, words = 2 * static_cast<std::uint32_t>(count);
  RamKept kept(core.bus(), at);
  const CoreCall call{at + kCodeAt,
                      {from, size, results, static_cast<std::uint32_t>(count)},
                      0,
                      static_cast<std::uint32_t>(ram.end & ~7ull),
                      at};
  const std::chrono::milliseconds limit(1000 + size * count * 1000 / kSlowest);
  BusBatch load;
  load.read(at, kSumsAt / 4 + words);
  load.writeAll(at, routine());
  kept.keep(core.begin(call, load));
  BusBatch take;
  take.read(results, words);
  kept.add(take);
  std::vector<std::uint32_t> answers;
  if (!core.finish(call, limit, take, answers))
    throw Error(ErrorKind::Refused,
                fmt::format("the checksum of {} does not come back: {}", hexAddress(from), core.whereText()),
                "The core's clock may have stopped, or something resets it.");
  kept.putBack();
  for (std::size_t i = 0; i < count; ++i)
    sums.push_back(answers[2 * i] | static_cast<std::uint64_t>(answers[2 * i + 1]) << 32);
}

}  // namespace

std::uint64_t sumOf(ByteSpan bytes) {
  std::uint32_t a = 0, b = 0;
  for (std::size_t i = 0; i + 16 <= bytes.size(); i += 16) {
    for (std::size_t w = 0; w < 16; w += 4) a = std::rotr(a, 7) + loadLe32(&bytes[i + w]);
    b += a;
  }
  return a | static_cast<std::uint64_t>(b) << 32;
}

std::vector<std::uint64_t> sumsByCore(Core& core, const AddressRange& ram, std::uint32_t from, std::uint32_t size,
                                      std::size_t count) {
  core.halt();
  const std::uint64_t begin = (ram.begin + 7) & ~7ull;
  const std::uint64_t room = ram.end > begin + kSumsAt ? (ram.end - begin - kSumsAt) / kSumBytes : 0;
  if (room == 0) throw Error(ErrorKind::Refused, fmt::format("the RAM {} is too small for a checksum", rangeText(ram)));
  std::vector<std::uint64_t> sums;
  constexpr std::size_t kMostAtOnce = 512;
  while (sums.size() < count) {
    const std::size_t some = std::min<std::size_t>({count - sums.size(), room, kMostAtOnce});
    sumSome(core, ram, static_cast<std::uint32_t>(from + sums.size() * size), size, some, sums);
  }
  return sums;
}

}  // namespace imprimo::debug
