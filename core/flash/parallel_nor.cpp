// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/parallel_nor.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/flash/parallel_nor_details.h"
#include "core/flash/spi_nor_commands.h"

namespace imprimo::flash {

namespace nor {
// Command set 1
constexpr std::uint16_t kArray1 = 0xFF, kReadId = 0x90, kQuery = 0x98, kClearStatus = 0x50, kErase1 = 0x20,
                        kConfirm = 0xD0, kLock = 0x60, kProgram1 = 0x40, kBuffer1 = 0xE8;
// Command set 2
constexpr std::uint16_t kArray2 = 0xF0, kErase2 = 0x80, kEraseBlock2 = 0x30, kProgram2 = 0xA0, kBuffer2 = 0x25,
                        kBufferGo2 = 0x29;
constexpr std::uint16_t kReady = 0x80, kEraseFailed = 0x20, kProgramFailed = 0x10, kLowVoltage = 0x08, kLocked = 0x02;
constexpr std::uint16_t kToggles = 0x40, kTooLong = 0x20;
}  // namespace nor

ParallelNor::ParallelNor(spi::ParallelBus& bus, std::string name) : bus_(bus), name_(std::move(name)) {
  identify();
}

ParallelNor::~ParallelNor() {
  try {
    leaveModes();
  } catch (const Error&) {
    // The link is gone; the part leaves its modes when its supply does.
  }
}

std::vector<std::uint16_t> ParallelNor::run(const Items& items) {
  touched_ = true;
  return bus_.run(items);
}

void ParallelNor::toArray(Items& items) const {
  items.push_back(spi::BusWrite{0, cfi_.commandSet == 1 ? nor::kArray1 : nor::kArray2});
}

void ParallelNor::open(Items& items) const {
  const std::uint32_t first = byteMode_ ? 0xAAA : 0x555, second = byteMode_ ? 0x555 : 0x2AA;
  items.push_back(spi::BusWrite{first, 0xAA});
  items.push_back(spi::BusWrite{second, 0x55});
}

void ParallelNor::command(Items& items, std::uint16_t code) const {
  open(items);
  items.push_back(spi::BusWrite{byteMode_ ? 0xAAAu : 0x555u, code});
}

/// The table as it stands behind the query command at `at`; every `step`th address has a byte of it.
Bytes ParallelNor::queryTable(std::uint32_t at, std::uint32_t step) {
  Items items{spi::BusWrite{0, nor::kArray2}, spi::BusWrite{0, nor::kArray1}, spi::BusWrite{at, nor::kQuery}};
  for (std::uint32_t i = 0; i < kCfiBytes; ++i) items.push_back(spi::BusRead{i * step});
  items.push_back(spi::BusWrite{0, nor::kArray2});
  items.push_back(spi::BusWrite{0, nor::kArray1});
  Bytes table;
  for (const std::uint16_t word : run(items)) table.push_back(static_cast<std::uint8_t>(word));
  return table;
}

void ParallelNor::identify() {
  constexpr std::uint32_t kQueryAt = 0x55, kQueryAtBytes = 0xAA;
  constexpr std::size_t kSignature = 0x10;
  Bytes table = queryTable(kQueryAt, 1);
  if (table[kSignature] != 'Q' && bus_.dataBits() == 8) {
    Bytes bytes = queryTable(kQueryAtBytes, 2);
    byteMode_ = bytes[kSignature] == 'Q';
    if (byteMode_) table = std::move(bytes);
  }
  if (table != (byteMode_ ? queryTable(kQueryAtBytes, 2) : queryTable(kQueryAt, 1)))
    throw Error(ErrorKind::Refused, fmt::format("{}: two reads of its query table differ", name_),
                "Lower the clock or shorten the cable.");
  cfi_ = parseCfi(table, name_);
  Items items;
  if (cfi_.commandSet == 1) {
    items.push_back(spi::BusWrite{0, nor::kReadId});
  } else {
    command(items, nor::kReadId);
  }
  items.push_back(spi::BusRead{0});
  items.push_back(spi::BusRead{byteMode_ ? 2u : 1u});
  toArray(items);
  const std::vector<std::uint16_t> id = run(items);
  touched_ = false;
  identity_.id = fmt::format("0x{:02x}{:04x}", id[0] & 0xFF, id[1]);
  identity_.geometry = cfi_.geometry;
  const std::uint64_t reach = (1ull << bus_.addressBits()) * bytesPerWord();
  if (reach < identity_.geometry.size) {
    identity_.geometry.reachable = reach;
    identity_.remarks.push_back(fmt::format("the route has {} address lines: only the lower {} are reached",
                                            bus_.addressBits(), sizeText(reach)));
  }
  identity_.source = "cfi";
  identity_.describedBy = "its query table";
  identity_.evidence = {{"query table", "read twice, both times the same", true}};
  identity_.details = std::make_shared<ParallelNorDetails>(cfi_, bus_.dataBits());
}

Bytes ParallelNor::signature() {
  constexpr std::uint32_t kFirst = 0x10, kBytes = 24;
  const Bytes table = byteMode_ ? queryTable(0xAA, 2) : queryTable(0x55, 1);
  touched_ = false;
  return Bytes(table.begin() + kFirst, table.begin() + kFirst + kBytes);
}

Bytes ParallelNor::readBytes(const AddressRange& range) {
  const std::uint32_t per = bytesPerWord();
  Items items;
  if (touched_) toArray(items);
  const std::uint32_t first = wordOf(range.begin), last = wordOf(range.end - 1);
  for (std::uint32_t word = first; word <= last; ++word) items.push_back(spi::BusRead{word});
  Bytes bytes;
  for (const std::uint16_t word : at(range.begin, [&] { return bus_.run(items); })) {
    bytes.push_back(static_cast<std::uint8_t>(word));
    if (per == 2) bytes.push_back(static_cast<std::uint8_t>(word >> 8));
  }
  touched_ = false;
  const std::uint64_t skip = range.begin - std::uint64_t{first} * per;
  return Bytes(bytes.begin() + static_cast<std::ptrdiff_t>(skip),
               bytes.begin() + static_cast<std::ptrdiff_t>(skip + range.size()));
}

void ParallelNor::read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) {
  const auto atOnce = std::clamp<std::uint64_t>(
      static_cast<std::uint64_t>(kQueuedSeconds / bus_.readSeconds()) * bytesPerWord(), 256, kMostBytesInExchange);
  while (!out.empty()) {
    throwIfStopped(progress, address);
    const std::size_t count = std::min<std::uint64_t>(out.size(), atOnce);
    const Bytes bytes = readBytes({address, address + count});
    std::copy(bytes.begin(), bytes.end(), out.begin());
    progress.advanced({address, address + count});
    out = out.subspan(count);
    address += count;
  }
}

std::vector<Bytes> ParallelNor::readPieces(std::span<const AddressRange> pieces) {
  std::vector<Bytes> read;
  for (const AddressRange& piece : pieces) read.push_back(readBytes(piece));
  return read;
}

void ParallelNor::checkStatus(std::uint16_t status, bool erases, std::uint64_t address) {
  if ((status & (nor::kEraseFailed | nor::kProgramFailed | nor::kLowVoltage | nor::kLocked)) == 0) return;
  run({spi::BusWrite{0, nor::kClearStatus}, spi::BusWrite{0, nor::kArray1}});
  const char* why = (status & nor::kLocked) != 0       ? "the block is locked"
                    : (status & nor::kLowVoltage) != 0 ? "the programming voltage is too low"
                                                       : "the part says that it failed";
  throw Error(erases ? ErrorKind::NotErased : ErrorKind::NotProgrammed,
              fmt::format("{}: {} at {}: {} (status {})", name_, erases ? "erasing" : "programming",
                          hexAddress(address), why, hexByte(static_cast<std::uint8_t>(status))),
              (status & nor::kLocked) != 0 ? "Its write-protect pin (WP) may be low." : "")
      .setAt(address);
}

/// Waits for what was started: command set 1 has a status, with command set 2 a bit toggles while it is under way and
/// the data is there when it is over. Looked at first when it typically is ready, and then in steps of that.
void ParallelNor::waitReady(std::uint32_t at, double typical, double longest, bool erases, std::uint64_t address,
                            std::uint16_t expected) {
  const double step = std::max(typical / 8, 20e-6);
  bool gaveUp = false;  // the part itself
  for (double waited = 0, pause = typical; !gaveUp && waited < 2 * longest; pause = step) {
    const std::vector<std::uint16_t> seen =
        run({spi::BusWait{inMicroseconds(pause)}, spi::BusRead{at, true}, spi::BusRead{at, true}});
    waited += pause;
    if (cfi_.commandSet == 1) {
      if ((seen[1] & nor::kReady) != 0) return checkStatus(seen[1], erases, address);
      continue;
    }
    if (seen[0] == seen[1] && (seen[1] & nor::kReady) == (expected & nor::kReady)) return;
    gaveUp = ((seen[0] ^ seen[1]) & nor::kToggles) != 0 && (seen[1] & nor::kTooLong) != 0;
  }
  Items items;
  // Behind a buffer that it gave up a part of command set 2 listens to nothing but this.
  if (cfi_.commandSet == 2) command(items, nor::kArray2);
  toArray(items);
  run(items);
  throw Error(erases ? ErrorKind::NotErased : ErrorKind::NotProgrammed,
              fmt::format("{}: still busy {} at {} after {}", name_, erases ? "erasing" : "programming",
                          hexAddress(address), durationText(longest)),
              "The part may be worn out, its block protected or its supply too low.")
      .setAt(address);
}

/// A block of command set 1 is locked when power comes, in parts that have locks at all.
void ParallelNor::unlock(std::uint32_t word) {
  if (cfi_.commandSet != 1) return;
  const std::uint32_t block = wordOf(geometry().blockAt(std::uint64_t{word} * bytesPerWord()).begin);
  constexpr std::uint32_t kLockAt = 2;
  const std::vector<std::uint16_t> state =
      run({spi::BusWrite{block, nor::kReadId}, spi::BusRead{block + kLockAt}, spi::BusWrite{block, nor::kArray1}});
  if ((state[0] & 1) == 0) return;
  locked_.push_back(block);
  run({spi::BusWrite{word, nor::kLock}, spi::BusWrite{word, nor::kConfirm}, spi::BusWrite{word, nor::kClearStatus}});
}

void ParallelNor::erase(std::span<const memory::EraseBlock> blocks, Progress& progress) {
  for (const memory::EraseBlock& block : blocks) {
    throwIfStopped(progress, block.range.begin);
    const memory::EraseType& type = geometry().erase.at(block.type);
    const std::uint32_t word = wordOf(block.range.begin);
    Items items;
    at(block.range.begin, [&] { unlock(word); });
    if (cfi_.commandSet == 1) {
      items = {spi::BusWrite{word, nor::kErase1}, spi::BusWrite{word, nor::kConfirm}};
    } else {
      command(items, nor::kErase2);
      open(items);
      items.push_back(spi::BusWrite{word, nor::kEraseBlock2});
    }
    at(block.range.begin, [&] {
      run(items);
      waitReady(word, type.typical, type.longest, true, block.range.begin, 0xFFFF);
    });
    progress.advanced(block.range);
  }
}

void ParallelNor::programWord(std::uint64_t address, std::uint16_t data) {
  const std::uint32_t word = wordOf(address);
  Items items;
  if (cfi_.commandSet == 1) {
    items = {spi::BusWrite{word, nor::kProgram1}, spi::BusWrite{word, data}};
  } else {
    command(items, nor::kProgram2);
    items.push_back(spi::BusWrite{word, data});
  }
  run(items);
  waitReady(word, cfi_.wordTypical, cfi_.wordLongest, false, address, data);
}

void ParallelNor::programPage(const memory::PageWrite& page) {
  const std::uint32_t per = bytesPerWord();
  // What is not to be changed of a word is all ones, which changes nothing.
  const std::uint32_t first = wordOf(page.address), last = wordOf(page.range().end - 1);
  std::vector<std::uint16_t> words(last - first + 1, per == 2 ? 0xFFFF : 0xFF);
  for (std::size_t i = 0; i < page.bytes.size(); ++i) {
    const std::uint64_t address = page.address + i;
    const unsigned shift = per == 2 && address % 2 == 1 ? 8 : 0;
    std::uint16_t& word = words[wordOf(address) - first];
    word = static_cast<std::uint16_t>((word & ~(0xFFu << shift)) | std::uint32_t{page.bytes[i]} << shift);
  }
  unlock(first);
  if (cfi_.bufferBytes == 0) {
    for (std::uint32_t i = 0; i < words.size(); ++i) programWord(std::uint64_t{first + i} * per, words[i]);
    return;
  }
  Items items;
  const auto count = static_cast<std::uint16_t>(words.size() - 1);
  if (cfi_.commandSet == 1) {
    items.push_back(spi::BusWrite{first, nor::kBuffer1});
  } else {
    open(items);
    items.push_back(spi::BusWrite{first, nor::kBuffer2});
  }
  items.push_back(spi::BusWrite{first, count});
  for (std::uint32_t i = 0; i < words.size(); ++i) items.push_back(spi::BusWrite{first + i, words[i]});
  items.push_back(spi::BusWrite{first, cfi_.commandSet == 1 ? nor::kConfirm : nor::kBufferGo2});
  run(items);
  waitReady(last, cfi_.bufferTypical, cfi_.bufferLongest, false, page.address, words.back());
}

void ParallelNor::program(std::span<const memory::PageWrite> pages, Progress& progress) {
  for (const memory::PageWrite& page : pages) {
    throwIfStopped(progress, page.address);
    at(page.address, [&] { programPage(page); });
    progress.advanced(page.range());
  }
}

void ParallelNor::leaveModes() {
  if (inItsModes()) return;
  Items items;
  for (const std::uint32_t block : locked_) {
    items.push_back(spi::BusWrite{block, nor::kLock});
    items.push_back(spi::BusWrite{block, 0x01});
  }
  toArray(items);
  run(items);
  locked_.clear();
  touched_ = false;
}

}  // namespace imprimo::flash
