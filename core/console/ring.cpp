// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/ring.h"

#include <algorithm>
#include <array>
#include <bit>

#include "core/base/error.h"

namespace imprimo::console {
namespace {

constexpr std::uint32_t kMark[] = {0x52504D49, 0x474E4952, 0x00000001};
constexpr std::uint32_t kMarkEnd = ~(kMark[0] ^ kMark[1] ^ kMark[2]);
constexpr std::size_t kMarkSize = 16;
constexpr std::uint32_t kOut = 16, kIn = 40, kOutTaken = 28, kInWritten = 48;
constexpr std::uint32_t kLeast = 16, kMost = 65536;
constexpr std::size_t kPiece = 4096;

bool isMark(const std::uint8_t* bytes) {
  return loadLe32(bytes) == kMark[0] && loadLe32(bytes + 4) == kMark[1] && loadLe32(bytes + 8) == kMark[2] &&
         loadLe32(bytes + 12) == kMarkEnd;
}

void writeWord(TargetMemory& memory, std::uint32_t at, std::uint32_t value) {
  std::array<std::uint8_t, 4> word{};
  for (std::size_t i = 0; i < word.size(); ++i) word[i] = static_cast<std::uint8_t>(value >> (8 * i));
  memory.write(at, word);
}

bool isSize(std::uint32_t size) {
  return size >= kLeast && size <= kMost && std::has_single_bit(size);
}

bool liesIn(const RingHeader::Direction& ring, std::span<const AddressRange> ram) {
  return std::any_of(ram.begin(), ram.end(), [&](const AddressRange& range) {
    return ring.at >= range.begin && ring.at < range.end && ring.size <= range.end - ring.at;
  });
}

}  // namespace

std::optional<RingHeader> parseRing(ByteSpan header, std::span<const AddressRange> ram) {
  if (header.size() < RingHeader::kSize || !isMark(header.data())) return std::nullopt;
  const auto word = [&](std::size_t at) { return loadLe32(header.data() + at); };
  RingHeader ring;
  ring.out = {word(kOut), word(kOut + 4), word(kOut + 8), word(kOutTaken)};
  ring.lost = word(32);
  ring.in = {word(kIn), word(kIn + 4), word(kInWritten), word(kIn + 12)};
  if (!isSize(ring.out.size) || !liesIn(ring.out, ram)) return std::nullopt;
  if (ring.in.size != 0 && (!isSize(ring.in.size) || !liesIn(ring.in, ram))) return std::nullopt;
  ring.agrees = ring.out.waiting() <= ring.out.size && (ring.in.size == 0 || ring.in.waiting() <= ring.in.size);
  return ring;
}

std::vector<std::uint32_t> findRingMarks(ByteSpan bytes, std::uint32_t from) {
  std::vector<std::uint32_t> found;
  for (std::size_t i = (4 - from % 4) % 4; i + kMarkSize <= bytes.size(); i += 4) {
    if (isMark(bytes.data() + i)) found.push_back(from + static_cast<std::uint32_t>(i));
  }
  return found;
}

std::optional<RingHeader> ConsoleRing::look(TargetMemory& memory) {
  std::array<std::uint8_t, RingHeader::kSize> header{};
  memory.read(at_, header);
  return parseRing(header, ram_);
}

RingNews ConsoleRing::take(TargetMemory& memory) {
  RingNews news;
  const std::optional<RingHeader> ring = look(memory);
  if (!ring) {
    last_.reset();
    news.there = false;
    return news;
  }
  const std::uint32_t taken = at_ + kOutTaken;
  if (!ring->agrees) {
    // The target has begun anew while its old counter was written; nothing but that makes its `written` fall behind.
    const bool ours = last_ && ring->out.taken == last_->out.taken && ring->out.waiting() > ring->out.size;
    if (ours) writeWord(memory, taken, ring->out.written <= ring->out.size ? 0 : ring->out.written);
    news.there = ours;
    news.began = ours;
    last_.reset();
    return news;
  }
  // Where somebody else has taken meanwhile, it is the target, by starting again.
  news.began = last_ && (ring->out.taken != last_->out.taken || ring->lost < last_->lost);
  news.lost = ring->lost - (last_ && !news.began ? last_->lost : 0);
  const std::uint32_t count = ring->out.waiting();
  last_ = ring;
  if (count == 0) return news;
  news.bytes.resize(count);
  const std::uint32_t begin = ring->out.taken & (ring->out.size - 1);
  const std::uint32_t first = std::min(count, ring->out.size - begin);
  memory.read(ring->out.at + begin, std::span(news.bytes).first(first));
  if (first < count) memory.read(ring->out.at, std::span(news.bytes).subspan(first));
  writeWord(memory, taken, ring->out.written);
  last_->out.taken = ring->out.written;
  return news;
}

std::size_t ConsoleRing::give(TargetMemory& memory, ByteSpan bytes) {
  const std::optional<RingHeader> ring = look(memory);
  if (!ring || !ring->agrees || ring->in.size == 0) return 0;
  const std::size_t count = std::min<std::size_t>(bytes.size(), ring->in.size - ring->in.waiting());
  if (count == 0) return 0;
  const std::uint32_t begin = ring->in.written & (ring->in.size - 1);
  const std::size_t first = std::min<std::size_t>(count, ring->in.size - begin);
  memory.write(ring->in.at + begin, bytes.first(first));
  if (first < count) memory.write(ring->in.at, bytes.subspan(first, count - first));
  writeWord(memory, at_ + kInWritten, ring->in.written + static_cast<std::uint32_t>(count));
  return count;
}

std::vector<ConsoleRing> findRings(TargetMemory& memory, const std::vector<AddressRange>& ram,
                                   const std::function<bool()>& going) {
  std::vector<ConsoleRing> rings;
  for (const AddressRange& range : ram) {
    for (std::uint64_t at = range.begin; at < range.end; at += kPiece) {
      if (!going()) return rings;
      // A mark may lie across two pieces.
      Bytes bytes(std::min<std::uint64_t>(kPiece + kMarkSize - 4, range.end - at));
      try {
        memory.read(static_cast<std::uint32_t>(at), bytes);
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::LinkLost || e.kind() == ErrorKind::BrokenChain) throw;
        continue;
      }
      for (const std::uint32_t mark : findRingMarks(bytes, static_cast<std::uint32_t>(at))) {
        if (mark + std::uint64_t{RingHeader::kSize} <= range.end) rings.emplace_back(mark, ram);
      }
    }
  }
  return rings;
}

}  // namespace imprimo::console
