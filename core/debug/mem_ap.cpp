// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/mem_ap.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>

#include "core/base/number.h"

namespace imprimo::debug {
namespace {

using probe::PortAnswer;
using probe::RegisterAnswers;
using probe::RegisterBatch;

constexpr std::uint8_t kCsw = 0x00, kTar = 0x04, kDrw = 0x0C, kBase = 0xF8, kIdr = 0xFC;
constexpr std::uint32_t kSizeMask = 0x7, kIncrementMask = 0x30, kIncrement = 0x10, kPacked = 0x20;
constexpr std::uint32_t kDeviceEnabled = 1u << 6;
constexpr std::uint32_t kReadOnlyBits = 0xC0;  // DeviceEn, TrInProg
constexpr std::uint32_t kPage = 1024;          // how far TAR goes on by itself
constexpr std::uint32_t kStickyError = 1u << 5;
constexpr int kTries = 3;

}  // namespace

BusFault::BusFault(std::uint32_t address, bool read)
    : Error(ErrorKind::Refused,
            fmt::format("the bus refuses {} at {}", read ? "reading" : "writing", hexAddress(address))) {
  setAt(address);
}

void BusBatch::writeAll(std::uint32_t address, ByteSpan bytes) {
  std::vector<std::uint32_t> words(bytes.size() / 4);
  for (std::size_t i = 0; i < words.size(); ++i) words[i] = loadLe32(&bytes[4 * i]);
  writeAll(address, std::move(words));
}

void BusBatch::writeAll(std::uint32_t address, std::vector<std::uint32_t> words) {
  const std::size_t count = words.size();
  add(address, std::move(words), count, false);
}

void BusBatch::add(std::uint32_t address, std::vector<std::uint32_t> words, std::size_t count, bool read) {
  for (std::size_t at = 0; at < count;) {
    const auto here = static_cast<std::uint32_t>(address + width_.step() * at);
    const std::size_t some = std::min<std::size_t>(count - at, (kPage - here % kPage) / width_.step());
    Part part{here, {}, some, read};
    if (!read)
      part.words.assign(words.begin() + static_cast<std::ptrdiff_t>(at),
                        words.begin() + static_cast<std::ptrdiff_t>(at + some));
    parts_.push_back(std::move(part));
    at += some;
  }
}

void MemAp::identify() {
  idr_ = port_.readAp(ap_, kIdr);
  constexpr std::uint32_t kMemoryClass = 8;
  if (idr_ == 0) throw Error(ErrorKind::Refused, fmt::format("the debug port has no {}", ap_.words()), "Check \"ap\".");
  if ((idr_ >> 13 & 15) != kMemoryClass)
    throw Error(ErrorKind::Refused, fmt::format("{} (IDR 0x{:08x}) leads to no memory", ap_.words(), idr_),
                "Check \"ap\".");
  kept_ = port_.readAp(ap_, kCsw) & ~(kSizeMask | kIncrementMask | kReadOnlyBits);
  csw_.reset();
}

bool MemAp::enabled() {
  return (port_.readAp(ap_, kCsw) & kDeviceEnabled) != 0;
}

std::optional<std::uint32_t> MemAp::base() {
  const std::uint32_t value = port_.readAp(ap_, kBase);
  if (value == 0xFFFFFFFF || (value & 3) != 3) return std::nullopt;
  return value & ~0xFFFu;
}

void MemAp::setWidth(BusWidth width) {
  const std::uint32_t wanted = kept_.value_or(0) | static_cast<std::uint32_t>(std::countr_zero(width.bytes)) |
                               (width.packed ? kPacked : kIncrement);
  port_.select(ap_, kCsw);
  if (csw_ == wanted) return;
  port_.writeAp(ap_, kCsw, wanted);
  csw_ = wanted;
}

bool MemAp::packs() {
  if (!packs_) {
    // A port without packed transfers does not keep the bits that ask for them (IHI 0031, C2.6.4).
    setWidth({1, true});
    packs_ = (port_.readAp(ap_, kCsw) & (kSizeMask | kIncrementMask)) == kPacked;
    csw_.reset();
  }
  return *packs_;
}

void MemAp::failed(std::uint32_t address, bool read, PortAnswer answer, std::uint32_t status) {
  if (answer == PortAnswer::Fault && (status & kStickyError) != 0) throw BusFault(address, read);
  PortFault fault(fmt::format("the debug port does not carry out {} at {}: it answers {}", read ? "reading" : "writing",
                              hexAddress(address), answer == PortAnswer::Fault ? "FAULT" : "WAIT all the time"),
                  answer, "Lower the clock, and check the wires.");
  fault.setAt(address);
  throw fault;
}

/// The rest of a batch as accesses: for each part one to TAR, and then its words.
RegisterBatch MemAp::accessesFrom(const BusBatch& batch, Place from) const {
  RegisterBatch accesses;
  for (std::size_t i = from.part; i < batch.parts().size(); ++i) {
    const BusBatch::Part& part = batch.parts()[i];
    const std::size_t first = i == from.part ? from.word : 0;
    accesses.write(true, kTar, static_cast<std::uint32_t>(part.address + batch.width().step() * first));
    if (part.read) {
      accesses.read(true, kDrw, part.count - first);
    } else {
      accesses.writeAll(true, kDrw, std::span(part.words).subspan(first));
    }
  }
  return accesses;
}

/// Where the work stands when so many of the accesses were carried out.
MemAp::Place MemAp::reached(const BusBatch& batch, Place from, std::size_t done) {
  while (from.part < batch.parts().size() && done > 0) {
    const std::size_t left = batch.parts()[from.part].count - from.word;
    if (done <= left) return {from.part, from.word + done - 1};
    done -= 1 + left;
    from = {from.part + 1, 0};
  }
  return from;
}

/// The word before that; the place itself where that was read, or there is none.
MemAp::Place MemAp::before(const BusBatch& batch, Place place) {
  if (place.word > 0) return batch.parts()[place.part].read ? place : Place{place.part, place.word - 1};
  if (place.part == 0 || batch.parts()[place.part - 1].read) return place;
  return {place.part - 1, batch.parts()[place.part - 1].count - 1};
}

std::vector<std::uint32_t> MemAp::run(const BusBatch& batch) {
  std::vector<std::uint32_t> words;
  Place at;
  int tries = 0;
  while (at.part < batch.parts().size()) {
    setWidth(batch.width());
    const RegisterAnswers answers = port_.access(accessesFrom(batch, at));
    words.insert(words.end(), answers.words.begin(), answers.words.end());
    if (answers.last == PortAnswer::Ok) break;
    const std::uint32_t status = port_.putInOrder(answers.last);
    if (answers.last != PortAnswer::Overrun) csw_.reset();
    // A write is taken before it is carried out, so the one before the access that was refused may be the reason. It is
    // repeated, which does no harm.
    Place next = reached(batch, at, answers.done);
    if (answers.last == PortAnswer::Fault && port_.wires().tellsLate()) next = std::max(at, before(batch, next));
    tries = next > at ? 0 : tries + 1;
    at = next;
    const BusBatch::Part& part = batch.parts()[at.part];
    if (tries >= (answers.last == PortAnswer::Overrun ? kOverruns : kTries))
      failed(static_cast<std::uint32_t>(part.address + batch.width().step() * at.word), part.read, answers.last,
             status);
  }
  return words;
}

/// Bytes from a multiple of what one access leads over to another.
void MemAp::transfer(std::uint32_t address, std::span<std::uint8_t> bytes, BusWidth width, bool read) {
  const std::uint32_t step = width.step();
  const auto lane = [&](std::size_t at) { return 8 * ((address + at) & 3); };
  BusBatch batch(width);
  if (read) {
    batch.read(address, bytes.size() / step);
    const std::vector<std::uint32_t> data = run(batch);
    for (std::size_t at = 0; at < bytes.size(); ++at)
      bytes[at] = static_cast<std::uint8_t>(data[at / step] >> lane(at));
    return;
  }
  std::vector<std::uint32_t> words(bytes.size() / step);
  for (std::size_t at = 0; at < bytes.size(); ++at)
    words[at / step] |= static_cast<std::uint32_t>(bytes[at]) << lane(at);
  batch.writeAll(address, std::move(words));
  run(batch);
}

/// What is not aligned at the ends with bytes and halves, all else with words.
template <typename Work>
void MemAp::inPieces(std::uint32_t address, std::size_t size, Work&& work) {
  for (std::size_t at = 0; at < size;) {
    const std::size_t left = size - at;
    const auto here = static_cast<std::uint32_t>(address + at);
    const std::uint32_t width = here % 4 == 0 && left >= 4 ? 4 : here % 2 == 0 && left >= 2 ? 2 : 1;
    const std::size_t some = width == 4 ? left / 4 * 4 : width;
    work(here, at, some, BusWidth{width});
    at += some;
  }
}

void MemAp::read(std::uint32_t address, std::span<std::uint8_t> out) {
  inPieces(address, out.size(), [&](std::uint32_t here, std::size_t at, std::size_t size, BusWidth width) {
    transfer(here, out.subspan(at, size), width, true);
  });
}

void MemAp::write(std::uint32_t address, ByteSpan bytes) {
  Bytes copy(bytes.begin(), bytes.end());
  inPieces(address, copy.size(), [&](std::uint32_t here, std::size_t at, std::size_t size, BusWidth width) {
    transfer(here, std::span(copy).subspan(at, size), width, false);
  });
}

template <typename Work>
void MemAp::ofOneWidth(std::uint32_t address, std::size_t size, std::uint32_t width, Work&& work) {
  if (address % width != 0 || size % width != 0)
    throw Error(ErrorKind::Usage,
                fmt::format("{} and {} bytes are no whole accesses of {} bits", hexAddress(address), size, 8 * width),
                "Begin and end at multiples of that.");
  if (width == 4 || !packs()) return work(address, 0, size, BusWidth{width});
  // What one access packs begins at a word.
  const std::size_t head = std::min<std::size_t>(size, (4 - address % 4) % 4), middle = (size - head) / 4 * 4;
  if (head > 0) work(address, 0, head, BusWidth{width});
  if (middle > 0) work(static_cast<std::uint32_t>(address + head), head, middle, BusWidth{width, true});
  if (const std::size_t done = head + middle; done < size)
    work(static_cast<std::uint32_t>(address + done), done, size - done, BusWidth{width});
}

void MemAp::readEach(std::uint32_t address, std::span<std::uint8_t> out, std::uint32_t width) {
  ofOneWidth(address, out.size(), width, [&](std::uint32_t here, std::size_t at, std::size_t size, BusWidth each) {
    transfer(here, out.subspan(at, size), each, true);
  });
}

void MemAp::writeEach(std::uint32_t address, ByteSpan bytes, std::uint32_t width) {
  Bytes copy(bytes.begin(), bytes.end());
  ofOneWidth(address, copy.size(), width, [&](std::uint32_t here, std::size_t at, std::size_t size, BusWidth each) {
    transfer(here, std::span(copy).subspan(at, size), each, false);
  });
}

std::uint32_t MemAp::readWord(std::uint32_t address) {
  BusBatch batch;
  batch.read(address);
  return run(batch).front();
}

void MemAp::writeWord(std::uint32_t address, std::uint32_t word) {
  BusBatch batch;
  batch.write(address, word);
  run(batch);
}

}  // namespace imprimo::debug
