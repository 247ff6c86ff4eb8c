// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/trial.h"

#include <fmt/format.h>

#include <chrono>
#include <random>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/plan/block_plan.h"

namespace imprimo::run {
namespace {

using Clock = std::chrono::steady_clock;

double since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

/// Neighbouring bits and bytes that differ, each address different from its neighbours, and no order at all.
Bytes pattern(unsigned number, std::uint64_t address, std::size_t size) {
  Bytes bytes(size);
  std::mt19937 random(number + 1);
  for (std::size_t i = 0; i < size; ++i) {
    const std::uint64_t at = address + i;
    switch (number) {
      case 0:
        bytes[i] = (at & 1) != 0 ? 0xAA : 0x55;
        break;
      case 1:
        bytes[i] = (at & 1) != 0 ? 0x00 : 0xFF;
        break;
      case 2:
        bytes[i] = static_cast<std::uint8_t>(at ^ at >> 8 ^ at >> 16);
        break;
      case 3:
        bytes[i] = static_cast<std::uint8_t>(1u << (at % 8));
        break;
      default:
        bytes[i] = static_cast<std::uint8_t>(random());
    }
  }
  return bytes;
}

std::string rate(std::uint64_t bytes, double seconds) {
  return seconds <= 0 ? "at once" : sizeText(static_cast<std::uint64_t>(static_cast<double>(bytes) / seconds)) + "/s";
}

/// Bytes at `address` cut into pages, without blank ones.
std::vector<memory::PageWrite> pagesFor(std::uint64_t address, ByteSpan bytes, const memory::Geometry& geometry) {
  MemoryImage desired;
  desired.write(address, bytes);
  const AddressRange block{address, address + bytes.size()};
  return plan::workForBlock(block, geometry, desired, {}, false).pages;
}

}  // namespace

std::string TrialResult::text() const {
  std::string text = fmt::format("{}, {}: ", countText(patterns, "pattern"), countText(reads, "read"));
  if (sound()) {
    text += "all as written";
  } else {
    text += fmt::format("{} wrong, {} of {} bytes", countText(wrongReads, "read"), wrongBytes, bytesRead);
    for (const auto& [address, times] : wrongAt) text += fmt::format(", {} {}x", hexAddress(address), times);
  }
  return text + fmt::format("; writes {}, reads {}", rate(bytesWritten, writeSeconds), rate(bytesRead, readSeconds));
}

TrialResult tryBench(memory::Memory& memory, std::span<const memory::EraseBlock> blocks, const Bytes& old,
                     unsigned readsEach, Progress& progress) {
  constexpr std::size_t kMostNamed = 8;
  const AddressRange scratch{blocks.front().range.begin, blocks.back().range.end};
  NoProgress unstoppable;
  TrialResult result;
  const auto write = [&](const Bytes& bytes) {
    auto begin = Clock::now();
    memory.erase(blocks, unstoppable);
    result.eraseSeconds += since(begin);
    begin = Clock::now();
    memory.program(pagesFor(scratch.begin, bytes, memory.geometry()), unstoppable);
    result.writeSeconds += since(begin);
    result.bytesWritten += bytes.size();
  };
  for (unsigned number = 0; number < plan::kTrialPatterns && !progress.stopRequested(); ++number) {
    const Bytes wanted = pattern(number, scratch.begin, scratch.size());
    write(wanted);
    ++result.patterns;
    for (unsigned i = 0; i < readsEach && !progress.stopRequested(); ++i) {
      Bytes found(scratch.size());
      const auto begin = Clock::now();
      memory.read(scratch.begin, found, unstoppable);
      result.readSeconds += since(begin);
      ++result.reads;
      result.bytesRead += found.size();
      if (found != wanted) ++result.wrongReads;
      for (std::size_t k = 0; k < found.size(); ++k) {
        if (found[k] == wanted[k]) continue;
        ++result.wrongBytes;
        const std::uint64_t at = scratch.begin + k;
        if (result.wrongAt.size() < kMostNamed || result.wrongAt.contains(at)) ++result.wrongAt[at];
      }
      progress.advanced(scratch);
    }
  }
  write(old);
  return result;
}

}  // namespace imprimo::run
