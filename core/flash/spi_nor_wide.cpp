// SPDX-License-Identifier: GPL-3.0-or-later
//
// Reading and programming over two or four lines, where port and part have them.
#include <algorithm>

#include "core/flash/spi_nor.h"
#include "core/flash/spi_nor_commands.h"

namespace imprimo::flash {
namespace {

constexpr std::size_t kSample = 64;
constexpr unsigned kFour = 4;

}  // namespace

Bytes SpiNor::addressBytes(std::uint64_t address) const {
  Bytes bytes;
  for (int shift = fourByte_ ? 24 : 16; shift >= 0; shift -= 8)
    bytes.push_back(static_cast<std::uint8_t>(address >> shift));
  return bytes;
}

std::size_t SpiNor::addRead(Batch& batch, std::uint64_t address, std::size_t count) const {
  const WideCommand* wide = wide_.read();
  if (wide == nullptr) return batch.items.exchange(addressed(Kind::Read, command::kRead, address), count);
  addWideRead(batch.items, *wide, addressBytes(address), count);
  return batch.items.items().size() - 1;
}

void SpiNor::addProgram(Batch& batch, const memory::PageWrite& page) const {
  if (const WideCommand* wide = wide_.program()) {
    addWideProgram(batch.items, *wide, addressBytes(page.address), page.bytes);
    return;
  }
  Bytes all = addressed(Kind::Program, command::kProgram, page.address);
  all.insert(all.end(), page.bytes.begin(), page.bytes.end());
  batch.items.exchange(std::move(all));
}

bool SpiNor::fourLinesAreOn() const {
  if (!commands_.quad) return false;
  if (commands_.quad->mask == 0) return true;
  spi::SpiBatch batch;
  const std::size_t once = batch.exchange({commands_.quad->read}, 1), again = batch.exchange({commands_.quad->read}, 1);
  const spi::SpiAnswers answers = port_.run(batch);
  const std::uint8_t value = answers.answers.at(once).at(0);
  return value == answers.answers.at(again).at(0) && (value & commands_.quad->mask) != 0;
}

/// `bytes` were read over one line: a piece of them that would show what is wrong with another way is read so.
void SpiNor::tryWide(std::uint64_t address, ByteSpan bytes) {
  if (wide_.untried().empty() || waitsLongest_) return;
  if (!fourKnown_) {
    fourKnown_ = true;
    const auto& all = wide_.untried();
    const bool four = std::any_of(all.begin(), all.end(), [](const WideCommand& c) { return c.dataLines >= kFour; });
    if (four && !fourLinesAreOn()) wide_.dropFour();
  }
  for (std::size_t at = 0; at + kSample <= bytes.size() && !wide_.untried().empty(); at += kSample) {
    const ByteSpan sample = bytes.subspan(at, kSample);
    if (!tellLines(sample, kFour)) continue;
    while (!wide_.untried().empty()) {
      Batch batch = begin();
      selectSegment(batch, address + at);
      addWideRead(batch.items, wide_.untried().front(), addressBytes(address + at), kSample);
      const spi::SpiAnswers answers = run(batch);
      wide_.tried(
          std::equal(sample.begin(), sample.end(), answers.answers.back().begin(), answers.answers.back().end()));
    }
  }
}

void SpiNor::forgetWide() {
  wide_.forget();
  fourKnown_ = false;
}

}  // namespace imprimo::flash
