// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/pieces.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/shared_source.h"

namespace imprimo {
namespace {

[[noreturn]] void refuse(const Placement& placement, const std::string& what, const std::string& remedy = {}) {
  throw Error(ErrorKind::Usage, fmt::format("{}: {}", shortName(placement), what), remedy);
}

std::uint64_t multiple(const Placement& placement, Boundary boundary, const LayoutRules& rules) {
  if (boundary != kEraseBlock) return boundary;
  if (rules.block) return *rules.block;
  refuse(placement, "which erase blocks the part has is not known",
         "Give a number of bytes, or a part card, or identify the part and keep it in the sheet.");
}

std::uint64_t roundedUp(const Placement& placement, std::uint64_t address, std::uint64_t to) {
  const std::uint64_t rest = address % to;
  if (rest == 0) return address;
  if (address > UINT64_MAX - (to - rest)) refuse(placement, "it would run past the end of all addresses");
  return address + (to - rest);
}

void cut(MemoryImage& image, const Placement& placement) {
  const AddressRange extent = image.extent();
  image.erase({0, placement.cut->begin});
  if (placement.cut->end < extent.end) image.erase({placement.cut->end, extent.end});
  if (image.empty()) {
    refuse(placement, fmt::format("it has nothing from {} on, up to where it is cut; it is {}",
                                  hexAddress(placement.cut->begin), rangeText(extent)));
  }
}

void swapWords(MemoryImage& image, const Placement& placement) {
  const std::size_t word = placement.swap;
  image.changeBytes([&](std::uint64_t begin, std::span<std::uint8_t> bytes) {
    if (begin % word != 0 || bytes.size() % word != 0) {
      refuse(placement,
             fmt::format("{} is not a whole number of {}-byte words", rangeText({begin, begin + bytes.size()}), word),
             "Cut or pad the file first, or leave its bytes as they are.");
    }
    for (std::size_t i = 0; i < bytes.size(); i += word) {
      std::reverse(bytes.begin() + static_cast<std::ptrdiff_t>(i),
                   bytes.begin() + static_cast<std::ptrdiff_t>(i + word));
    }
  });
}

/// How far up the image goes from its own addresses, modulo 2^64.
std::uint64_t distance(const MemoryImage& image, bool hasAddresses, const Placement& placement,
                       const LayoutRules& rules) {
  const AddressRange extent = image.extent();
  const bool follows = placement.after || (!hasAddresses && !placement.at && placement.align);
  if (!hasAddresses && !placement.at && !follows) {
    throw Error(ErrorKind::Usage, fmt::format("{} is raw binary and has no addresses of its own", shortName(placement)),
                fmt::format("Say where it goes: {}@ADDRESS, or \"at\" in the sheet.", shortName(placement)));
  }
  std::uint64_t begin = extent.begin;
  if (follows) {
    begin = rules.before;
    if (placement.at) begin += std::min(*placement.at, UINT64_MAX - begin);
  } else if (!hasAddresses) {
    begin = *placement.at;
  } else if (placement.at) {
    if (*placement.at > UINT64_MAX - extent.end)
      refuse(placement, fmt::format("at {} it would run past the end of all addresses", hexAddress(*placement.at)));
    begin = extent.begin + *placement.at;
  }
  if (placement.align) begin = roundedUp(placement, begin, multiple(placement, *placement.align, rules));
  if (begin > UINT64_MAX - extent.size())
    refuse(placement, fmt::format("at {} it would run past the end of all addresses", hexAddress(begin)));
  return begin - extent.begin;
}

void finish(Piece& piece, bool hasAddresses, const LayoutRules& rules) {
  const Placement& p = piece.placement;
  if (p.cut) cut(piece.image, p);
  // A cut of raw bytes goes where it is asked to go: what was cut off does not count.
  if (p.reversed) {
    piece.image.changeBytes([](std::uint64_t, std::span<std::uint8_t> bytes) {
      for (std::uint8_t& byte : bytes) byte = reverseBits(byte);
    });
  }
  if (p.swap > 1) swapWords(piece.image, p);
  piece.moved = distance(piece.image, hasAddresses, p, rules);
  piece.image.moveUp(piece.moved);
  if (!p.pad) return;
  const std::uint64_t end = piece.image.extent().end;
  const std::uint64_t to = roundedUp(p, end, multiple(p, *p.pad, rules));
  if (to - end > kLongestPattern) refuse(p, fmt::format("{} of padding is too much", sizeText(to - end)));
  piece.image.write(end, Bytes(to - end, rules.fill));
}

}  // namespace

Bytes Piece::headAsInFile(std::size_t count) const {
  const auto segments = image.segments();
  if (segments.empty()) return {};
  const std::size_t word = placement.swap;
  const ByteSpan first = segments.front().bytes;
  Bytes head(first.begin(), first.begin() + static_cast<std::ptrdiff_t>(std::min(first.size(), count) / word * word));
  for (std::size_t i = 0; word > 1 && i < head.size(); i += word) {
    std::reverse(head.begin() + static_cast<std::ptrdiff_t>(i), head.begin() + static_cast<std::ptrdiff_t>(i + word));
  }
  if (placement.reversed) {
    for (std::uint8_t& byte : head) byte = reverseBits(byte);
  }
  return head;
}

namespace {

SourceFile sourceOf(const Placement& placement, const std::filesystem::path& folder, const ReadRules& rules) {
  SourceFile source;
  if (placement.pattern) {
    source.file.image.write(0, patternBytes(*placement.pattern));
    source.file.fileBytes = placement.pattern->length;
    return source;
  }
  const std::filesystem::path path = folder / placement.file;
  std::error_code none;
  source.changed = std::filesystem::last_write_time(path, none);
  if (placement.wrapper.empty()) {
    source.file = readImageFile(path, placement.format, rules);
    return source;
  }
  const WrapperCard card = readWrapperCard(folder / placement.wrapper);
  source.file = readImageFile(path, ImageFormat::Raw, rules);
  source.file.remarks.clear();
  const Bytes bytes = source.file.image.bytes(source.file.image.extent());
  Unwrapped parts = unwrap(card, bytes, path.string());
  source.fields = std::move(parts.fields);
  source.payloadAt = parts.payload.begin;
  source.sync = card.sync;
  source.cardReverses = card.reversed;
  source.file.note = card.name;
  source.file.image = MemoryImage();
  source.file.image.write(0, ByteSpan(bytes).subspan(parts.payload.begin, parts.payload.size()));
  if (card.reversed) {
    source.file.image.changeBytes([](std::uint64_t, std::span<std::uint8_t> payload) {
      for (std::uint8_t& byte : payload) byte = reverseBits(byte);
    });
  }
  if (parts.payload.end < bytes.size()) {
    source.file.remarks.push_back(
        fmt::format("{} after the payload are left out", countText(bytes.size() - parts.payload.end, "byte")));
  }
  return source;
}

}  // namespace

SourceFile readSource(const Placement& placement, const std::filesystem::path& folder, const ReadRules& reading) {
  ReadRules rules = reading;
  rules.large = placement.large;
  return readReferred(placement.referredFrom, [&] { return sourceOf(placement, folder, rules); });
}

Piece place(SourceFile&& source, const Placement& placement, const LayoutRules& rules) {
  Piece piece{placement, source.file.format, std::move(source.file.image)};
  source.file.image = MemoryImage();
  finish(piece, source.file.hasAddresses, rules);
  piece.source = std::make_shared<const SourceFile>(std::move(source));
  return piece;
}

Piece place(const std::shared_ptr<const SourceFile>& source, const Placement& placement, const LayoutRules& rules) {
  Piece piece{placement, source->file.format, source->file.image, source};
  finish(piece, source->file.hasAddresses, rules);
  return piece;
}

Piece readPiece(const Placement& placement, const std::filesystem::path& folder, const LayoutRules& rules) {
  Piece piece = place(sharedSource(placement, folder, rules.reading), placement, rules);
  // Bytes of which it has nothing in common are not kept for it.
  if (placement.reversed || placement.swap > 1) {
    auto source = std::make_shared<SourceFile>(*piece.source);
    source->file.image = MemoryImage();
    piece.source = std::move(source);
  }
  return piece;
}

std::vector<Piece> readPieces(const std::vector<Placement>& placements, const std::filesystem::path& folder,
                              LayoutRules rules) {
  std::vector<Piece> pieces;
  for (const Placement& placement : placements) {
    pieces.push_back(readPiece(placement, folder, rules));
    rules.before = pieces.back().image.extent().end;
  }
  return pieces;
}

void writeSums(std::vector<Piece>& pieces, const std::vector<SumPlacement>& sums, std::uint8_t fill,
               const std::stop_token& stop) {
  for (const SumPlacement& placed : sums) {
    const auto kind = checksumNamed(placed.kind);
    if (!kind) throw Error(ErrorKind::Usage, fmt::format("there is no checksum named {}", placed.kind));
    if (placed.range.size() > 1ull << 32) {
      throw Error(ErrorKind::Usage, fmt::format("a checksum over {} is too much", rangeText(placed.range)));
    }
    Checksum sum(*kind);
    constexpr std::uint64_t kPiece = 1 << 16;
    Bytes buffer;
    for (std::uint64_t at = placed.range.begin; at < placed.range.end; at += buffer.size()) {
      if (stop.stop_requested())
        throw Error(ErrorKind::Stopped, "stopped while checksums were computed", "Nothing was touched.");
      buffer.assign(std::min(kPiece, placed.range.end - at), fill);
      for (const Piece& piece : pieces) piece.image.copyTo(at, buffer);
      sum.add(buffer);
    }
    Bytes result = sum.result();
    if (placed.lowFirst) std::reverse(result.begin(), result.end());
    if (placed.at > UINT64_MAX - result.size()) {
      throw Error(ErrorKind::Usage,
                  fmt::format("a checksum at {} runs past the end of all addresses", hexAddress(placed.at)));
    }
    MemoryImage alone;
    alone.write(placed.at, result);
    for (Piece& piece : pieces) {
      std::vector<AddressRange> over;
      for (const MemoryImage::Segment& s : piece.image.segmentsIn(alone.extent())) over.push_back(s.range());
      for (const AddressRange& range : over) {
        piece.image.write(range.begin, ByteSpan(result).subspan(range.begin - placed.at, range.size()));
        alone.erase(range);
      }
    }
    if (alone.empty()) continue;
    Placement placement;
    placement.memory = placed.memory;
    placement.file = fmt::format("{} of {}", placed.kind, rangeText(placed.range));
    placement.at = placed.at;
    pieces.push_back({placement, ImageFormat::Raw, std::move(alone)});
  }
}

MemoryImage combine(const std::vector<Piece>& pieces) {
  return combine(std::vector<Piece>(pieces));
}

namespace {

/// What is taken already, by its begin: its end, and whose it is.
using Taken = std::map<std::uint64_t, std::pair<std::uint64_t, std::size_t>>;

/// Throws Usage when a piece's segment meets one of an earlier piece: of several, the one that was placed first.
void requireFree(const Taken& taken, const AddressRange& range, const std::vector<Piece>& pieces, std::size_t index) {
  auto it = taken.upper_bound(range.begin);
  if (it != taken.begin()) --it;
  std::optional<std::pair<std::size_t, AddressRange>> first;
  for (; it != taken.end() && it->first < range.end; ++it) {
    const AddressRange there{it->first, it->second.first};
    if (there.overlaps(range) && (!first || it->second.second < first->first)) first = {it->second.second, there};
  }
  if (!first) return;
  throw Error(ErrorKind::Usage,
              fmt::format("{} and {} overlap at {}", pieces[first->first].name(), pieces[index].name(),
                          rangeText(first->second.cut(range))),
              "Move one of them, or take it out.");
}

}  // namespace

MemoryImage combine(std::vector<Piece>&& pieces) {
  Taken taken;
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    for (const MemoryImage::Segment& segment : pieces[i].image.segments())
      requireFree(taken, segment.range(), pieces, i);
    for (const MemoryImage::Segment& segment : pieces[i].image.segments())
      taken.emplace(segment.begin, std::pair{segment.range().end, i});
  }
  MemoryImage whole;
  for (Piece& piece : pieces) whole.write(std::move(piece.image));
  return whole;
}

void checkFits(const std::vector<Piece>& pieces, const std::string& memory, const AddressRange& whole) {
  for (const Piece& piece : pieces) {
    const AddressRange extent = piece.image.extent();
    if (extent.begin < whole.begin) {
      throw Error(
          ErrorKind::Usage,
          fmt::format("{} ({}) takes {}, but {} begins at {} ({})", piece.name(), sizeText(piece.image.byteCount()),
                      rangeText(extent), memory, hexAddress(whole.begin), sizeText(whole.size())),
          "Move it to a higher address, or check that it is made for this part.");
    }
    if (extent.end <= whole.end) continue;
    throw Error(ErrorKind::Usage,
                fmt::format("{} ({}) takes {}, but {} ends at {} ({})", piece.name(), sizeText(piece.image.byteCount()),
                            rangeText(extent), memory, hexAddress(whole.end - 1), sizeText(whole.size())),
                "Move it to a lower address, or check that it is made for this part.");
  }
}

}  // namespace imprimo
