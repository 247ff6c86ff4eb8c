// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/mem_ap.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"

namespace imprimo::debug {
namespace {

using probe::PortAnswer;
using probe::RegisterAnswers;
using probe::RegisterBatch;

constexpr std::uint8_t kCsw = 0x00, kTar = 0x04, kDrw = 0x0C, kBase = 0xF8, kIdr = 0xFC;
constexpr std::uint32_t kSizeMask = 0x7, kWord = 2, kByte = 0, kIncrementMask = 0x30, kIncrement = 0x10;
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
  add(address, std::move(words), bytes.size() / 4, false);
}

void BusBatch::add(std::uint32_t address, std::vector<std::uint32_t> words, std::size_t count, bool read) {
  for (std::size_t at = 0; at < count;) {
    const auto here = static_cast<std::uint32_t>(address + 4 * at);
    const std::size_t some = std::min<std::size_t>(count - at, (kPage - here % kPage) / 4);
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

std::optional<std::uint32_t> MemAp::base() {
  const std::uint32_t value = port_.readAp(ap_, kBase);
  if (value == 0xFFFFFFFF || (value & 3) != 3) return std::nullopt;
  return value & ~0xFFFu;
}

void MemAp::setSize(std::uint32_t size, bool increment) {
  const std::uint32_t wanted = kept_.value_or(0) | size | (increment ? kIncrement : 0);
  port_.select(ap_, kCsw);
  if (csw_ == wanted) return;
  port_.writeAp(ap_, kCsw, wanted);
  csw_ = wanted;
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
    accesses.write(true, kTar, static_cast<std::uint32_t>(part.address + 4 * first));
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
    setSize(kWord, true);
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
      failed(static_cast<std::uint32_t>(part.address + 4 * at.word), part.read, answers.last, status);
  }
  return words;
}

void MemAp::narrow(std::uint32_t address, std::uint8_t& byte, bool read) {
  const unsigned lane = 8 * (address & 3);
  for (int tries = 1;; ++tries) {
    setSize(kByte, false);
    RegisterBatch batch;
    batch.write(true, kTar, address);
    if (read) {
      batch.read(true, kDrw);
    } else {
      batch.write(true, kDrw, static_cast<std::uint32_t>(byte) << lane);
    }
    const RegisterAnswers answers = port_.access(batch);
    if (answers.last == PortAnswer::Ok) {
      if (read) byte = static_cast<std::uint8_t>(answers.words.front() >> lane);
      return;
    }
    const std::uint32_t status = port_.putInOrder(answers.last);
    if (answers.last != PortAnswer::Overrun) csw_.reset();
    if (tries >= (answers.last == PortAnswer::Overrun ? kOverruns : kTries))
      failed(address, read, answers.last, status);
  }
}

void MemAp::read(std::uint32_t address, std::span<std::uint8_t> out) {
  std::size_t at = 0;
  while (at < out.size() && (address + at) % 4 != 0) {
    narrow(static_cast<std::uint32_t>(address + at), out[at], true);
    ++at;
  }
  if (const std::size_t count = (out.size() - at) / 4; count > 0) {
    BusBatch batch;
    batch.read(static_cast<std::uint32_t>(address + at), count);
    const std::vector<std::uint32_t> data = run(batch);
    for (std::size_t i = 0; i < 4 * count; ++i) out[at + i] = static_cast<std::uint8_t>(data[i / 4] >> (8 * (i % 4)));
    at += 4 * count;
  }
  for (; at < out.size(); ++at) narrow(static_cast<std::uint32_t>(address + at), out[at], true);
}

void MemAp::write(std::uint32_t address, ByteSpan bytes) {
  std::size_t at = 0;
  const auto one = [&] {
    std::uint8_t byte = bytes[at];
    narrow(static_cast<std::uint32_t>(address + at), byte, false);
    ++at;
  };
  while (at < bytes.size() && (address + at) % 4 != 0) one();
  if (const std::size_t count = (bytes.size() - at) / 4; count > 0) {
    BusBatch batch;
    batch.writeAll(static_cast<std::uint32_t>(address + at), bytes.subspan(at, 4 * count));
    run(batch);
    at += 4 * count;
  }
  while (at < bytes.size()) one();
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
