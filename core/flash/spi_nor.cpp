// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/spi_nor.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/flash/spi_nor_commands.h"

namespace imprimo::flash {
namespace {

constexpr std::size_t kMostPiece = 4096;
constexpr std::uint8_t kRead4 = 0x13, kProgram4 = 0x12;

}  // namespace

SpiNor::SpiNor(spi::SpiPort& port, memory::Geometry geometry, std::string name, FoundModes found)
    : port_(port),
      geometry_(std::move(geometry)),
      name_(std::move(name)),
      found_(std::move(found)),
      pageBusy_(geometry_.pageTypical, geometry_.pageLongest) {
  for (const memory::EraseType& type : geometry_.erase) eraseBusy_.emplace_back(type.typical, type.longest);
  takeWay();
}

void SpiNor::requireReach(const AddressRange& range) const {
  if (range.end <= geometry_.reach()) return;
  if (range.end > geometry_.size) {
    throw Error(ErrorKind::Usage, fmt::format("{} reaches past the end of {}, which is at {}", rangeText(range), name_,
                                              hexAddress(geometry_.size - 1)));
  }
  throw Error(
      ErrorKind::Refused,
      fmt::format("{} has {}, but does not say how addresses from {} on are reached, and what it holds does not "
                  "let it be tried",
                  name_, sizeText(geometry_.size), hexAddress(memory::kThreeByteReach)),
      "Describe it with a part card that has \"four_byte\".");
}

Bytes SpiNor::addressed(Kind kind, std::uint8_t opcode, std::uint64_t address) const {
  if (geometry_.fourByte == memory::FourByteEntry::OwnCommands && kind != Kind::Erase)
    opcode = kind == Kind::Read ? kRead4 : kProgram4;
  Bytes bytes{opcode};
  for (int shift = fourByte_ ? 24 : 16; shift >= 0; shift -= 8)
    bytes.push_back(static_cast<std::uint8_t>(address >> shift));
  return bytes;
}

void SpiNor::read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) {
  requireReach({address, address + out.size()});
  requireFourBytes(address);
  const auto atOnce =
      std::clamp<std::size_t>(static_cast<std::size_t>(kQueuedSeconds * port_.clockHz() / 8), 64, kMostBytesInExchange);
  while (!out.empty()) {
    throwIfStopped(progress, address);
    const std::uint64_t segmentEnd = (address / memory::kThreeByteReach + 1) * memory::kThreeByteReach;
    const std::size_t count = std::min<std::uint64_t>({out.size(), atOnce, segmentEnd - address});
    Batch batch = begin();
    selectSegment(batch, address);
    const std::size_t item = batch.items.exchange(addressed(Kind::Read, command::kRead, address), count);
    const Bytes bytes = at(address, [&] { return std::move(run(batch).answers.at(item)); });
    std::copy(bytes.begin(), bytes.end(), out.begin());
    progress.advanced({address, address + count});
    out = out.subspan(count);
    address += count;
  }
}

void SpiNor::expectBytes(std::uint64_t address, ByteSpan bytes, std::size_t atOnce, Progress& progress) {
  requireReach({address, address + bytes.size()});
  while (!bytes.empty()) {
    throwIfStopped(progress, address);
    const std::uint64_t segmentEnd = (address / memory::kThreeByteReach + 1) * memory::kThreeByteReach;
    const std::size_t count =
        std::min<std::uint64_t>({bytes.size(), (address / atOnce + 1) * atOnce - address, segmentEnd - address});
    Batch batch = begin();
    selectSegment(batch, address);
    const ByteSpan piece = bytes.first(count);
    batch.items.expectAnswer(addressed(Kind::Read, command::kRead, address), Bytes(piece.begin(), piece.end()));
    run(batch);
    progress.advanced({address, address + count});
    bytes = bytes.subspan(count);
    address += count;
  }
}

std::vector<Bytes> SpiNor::readPieces(std::span<const AddressRange> pieces) {
  Batch batch = begin();
  std::vector<std::size_t> items;
  for (const AddressRange& piece : pieces) {
    requireReach(piece);
    if (piece.empty() || piece.size() > kMostPiece || piece.begin >> 24 != (piece.end - 1) >> 24)
      throw std::invalid_argument("a piece has 1 to 4096 bytes in one segment");
    selectSegment(batch, piece.begin);
    items.push_back(batch.items.exchange(addressed(Kind::Read, command::kRead, piece.begin), piece.size()));
  }
  std::vector<Bytes> read;
  if (pieces.empty()) return read;
  spi::SpiAnswers answers = at(pieces.front().begin, [&] { return run(batch); });
  for (const std::size_t item : items) read.push_back(std::move(answers.answers.at(item)));
  return read;
}

}  // namespace imprimo::flash
