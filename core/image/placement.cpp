// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/placement.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo {
namespace {

MemoryImage moved(const MemoryImage& image, std::uint64_t offset, bool reversed, const std::string& name) {
  if (offset > UINT64_MAX - image.extent().end) {
    throw Error(ErrorKind::Usage,
                fmt::format("{}: at {} it would run past the end of all addresses", name, hexAddress(offset)));
  }
  MemoryImage result;
  for (const MemoryImage::Segment& segment : image.segments()) {
    Bytes bytes(segment.bytes.begin(), segment.bytes.end());
    if (reversed) {
      for (std::uint8_t& byte : bytes) byte = reverseBits(byte);
    }
    result.write(segment.begin + offset, bytes);
  }
  return result;
}

}  // namespace

Placement parsePiece(const std::string& text) {
  Placement placement;
  std::string rest = text;
  constexpr std::string_view kReversed = ",reversed";
  if (rest.size() > kReversed.size() && rest.ends_with(kReversed)) {
    placement.reversed = true;
    rest.resize(rest.size() - kReversed.size());
  }
  placement.file = rest;
  if (const auto sign = rest.rfind('@'); sign != std::string::npos && sign != 0) {
    if (const auto address = parseNumber(std::string_view(rest).substr(sign + 1))) {
      placement.at = address;
      placement.file = rest.substr(0, sign);
    }
  }
  return placement;
}

Piece readPiece(const Placement& placement, const std::filesystem::path& folder) {
  const ImageFile file = readImageFile(folder / placement.file);
  if (!file.hasAddresses && !placement.at) {
    throw Error(ErrorKind::Usage,
                fmt::format("{} is {} and has no addresses of its own", placement.file, nameOf(file.format)),
                fmt::format("Say where it goes: {}@ADDRESS, or \"at\" in the sheet.", placement.file));
  }
  return {placement, file.format, moved(file.image, placement.at.value_or(0), placement.reversed, placement.file)};
}

MemoryImage combine(const std::vector<Piece>& pieces) {
  MemoryImage whole;
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    for (const MemoryImage::Segment& segment : pieces[i].image.segments()) {
      if (!whole.touches(segment.range())) continue;
      for (std::size_t other = 0; other < i; ++other) {
        const auto common = pieces[other].image.segmentsIn(segment.range());
        if (common.empty()) continue;
        throw Error(ErrorKind::Usage,
                    fmt::format("{} and {} overlap at {}", pieces[other].placement.file, pieces[i].placement.file,
                                rangeText(common.front().range())),
                    "Move one of them, or take it out.");
      }
    }
    whole.write(pieces[i].image);
  }
  return whole;
}

void checkFits(const std::vector<Piece>& pieces, const std::string& memory, std::uint64_t size) {
  for (const Piece& piece : pieces) {
    const AddressRange extent = piece.image.extent();
    if (extent.end <= size) continue;
    throw Error(
        ErrorKind::Usage,
        fmt::format("{} ({}) takes {}, but {} ends at {} ({})", piece.placement.file, sizeText(piece.image.byteCount()),
                    rangeText(extent), memory, hexAddress(size - 1), sizeText(size)),
        "Move it to a lower address, or check that it is made for this part.");
  }
}

}  // namespace imprimo
