// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/spi_nor.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/flash/link_check.h"
#include "core/flash/spi_nor_commands.h"

namespace imprimo::flash {
namespace {

constexpr std::size_t kMostPiece = 4096;
/// A route that takes longer than that for a page reads what takes as long as a page does over one line at a time,
/// since each read repeats its command.
constexpr std::size_t kLeastAtOnce = 256;
constexpr std::uint8_t kRead4 = 0x13, kProgram4 = 0x12;

}  // namespace

SpiNor::SpiNor(spi::SpiPort& port, memory::Identity identity, NorCommands commands, std::string name, FoundModes found)
    : port_(port),
      identity_(std::move(identity)),
      commands_(std::move(commands)),
      name_(std::move(name)),
      found_(std::move(found)),
      pageBusy_(geometry_.pageTypical, geometry_.pageLongest) {
  for (const memory::EraseType& type : geometry_.erase) eraseBusy_.emplace_back(type.typical, type.longest);
  takeWay();
}

void SpiNor::requireReach(const AddressRange& range) const {
  if (range.end <= geometry_.reach().end) return;
  if (range.end > geometry_.size) {
    throw Error(ErrorKind::Usage, fmt::format("{} reaches past the end of {}, which is at {}", rangeText(range), name_,
                                              hexAddress(geometry_.size - 1)));
  }
  throw Error(
      ErrorKind::Refused,
      fmt::format("{} has {}, but does not say how addresses from {} on are reached, and what it holds does not "
                  "let it be tried",
                  name_, sizeText(geometry_.size), hexAddress(kThreeByteReach)),
      "Describe it with a part card that has \"four_byte\".");
}

Bytes SpiNor::addressed(Kind kind, std::uint8_t opcode, std::uint64_t address) const {
  if (commands_.fourByte == FourByteEntry::OwnCommands && kind != Kind::Erase)
    opcode = kind == Kind::Read ? kRead4 : kProgram4;
  Bytes bytes{opcode};
  const Bytes where = addressBytes(address);
  bytes.insert(bytes.end(), where.begin(), where.end());
  return bytes;
}

void SpiNor::read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) {
  requireReach({address, address + out.size()});
  requireFourBytes(address);
  while (!out.empty()) {
    throwIfStopped(progress, address);
    const unsigned lines = wide_.read() == nullptr ? 1 : wide_.read()->dataLines;
    const auto atOnce = std::clamp<std::size_t>(static_cast<std::size_t>(kQueuedSeconds * port_.clockHz() * lines / 8),
                                                kLeastAtOnce * lines, kMostBytesInExchange);
    const std::uint64_t segmentEnd = (address / kThreeByteReach + 1) * kThreeByteReach;
    // Little over one line while there may be something faster.
    constexpr std::size_t kFirst = 256;
    const std::size_t most = wide_.untried().empty() ? atOnce : std::min(atOnce, kFirst);
    const std::size_t count = std::min<std::uint64_t>({out.size(), most, segmentEnd - address});
    Batch batch = begin();
    selectSegment(batch, address);
    const std::size_t item = addRead(batch, address, count);
    const Bytes bytes = at(address, [&] { return std::move(run(batch).answers.at(item)); });
    std::copy(bytes.begin(), bytes.end(), out.begin());
    constexpr std::size_t kWorthwhile = 512;
    if (out.size() - count >= kWorthwhile) at(address, [&] { tryWide(address, bytes); });
    progress.advanced({address, address + count});
    out = out.subspan(count);
    address += count;
  }
}

void SpiNor::expectBytes(std::uint64_t address, ByteSpan bytes, std::size_t atOnce, Progress& progress) {
  requireReach({address, address + bytes.size()});
  while (!bytes.empty()) {
    throwIfStopped(progress, address);
    const std::uint64_t segmentEnd = (address / kThreeByteReach + 1) * kThreeByteReach;
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
  struct Item {
    std::size_t piece, number;
  };
  std::vector<Item> items;
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    requireReach(pieces[i]);
    if (pieces[i].empty() || pieces[i].size() > kMostPiece) throw std::invalid_argument("a piece has 1 to 4096 bytes");
    for (std::uint64_t from = pieces[i].begin; from < pieces[i].end;) {
      const AddressRange inSegment = pieces[i].cut({from, (from / kThreeByteReach + 1) * kThreeByteReach});
      selectSegment(batch, from);
      items.push_back({i, addRead(batch, from, inSegment.size())});
      from = inSegment.end;
    }
  }
  std::vector<Bytes> read(pieces.size());
  if (pieces.empty()) return read;
  const spi::SpiAnswers answers = at(pieces.front().begin, [&] { return run(batch); });
  for (const Item& item : items) {
    const Bytes& bytes = answers.answers.at(item.number);
    read[item.piece].insert(read[item.piece].end(), bytes.begin(), bytes.end());
  }
  return read;
}

Bytes SpiNor::signature() {
  return readSignature(port_);
}

int SpiNor::equalSignatures(const Bytes& expected, int times) {
  return flash::equalSignatures(port_, expected, times);
}

}  // namespace imprimo::flash
