// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/wide_way.h"

#include <algorithm>
#include <array>

namespace imprimo::flash {
namespace {

constexpr unsigned kBits = 8;

unsigned mostLines(const WideCommand& command) {
  return std::max(command.addressLines, command.dataLines);
}

/// Clocks of a page, which a read of this program may well be.
unsigned clocksOf(const WideCommand& command) {
  constexpr unsigned kAddress = 24, kPage = 256 * kBits;
  return kAddress / command.addressLines + command.modeClocks + command.dummyClocks + kPage / command.dataLines;
}

/// Bytes of ones for its mode clocks. Where they are no whole byte, the first dummy clocks have the rest of it: nobody
/// drives in them yet.
unsigned modeBytes(const WideCommand& command) {
  return (command.modeClocks * command.addressLines + kBits - 1) / kBits;
}

unsigned modeByteClocks(const WideCommand& command) {
  return modeBytes(command) * kBits / command.addressLines;
}

bool fits(const WideCommand& command, unsigned lines, bool fourByte) {
  return command.fourByte == fourByte && mostLines(command) <= lines &&
         modeByteClocks(command) <= command.modeClocks + command.dummyClocks;
}

}  // namespace

WideWay::WideWay(unsigned lines, const NorCommands& commands, bool fourByte)
    : lines_(lines), fourByte_(fourByte), commands_(commands) {
  for (const WideCommand& command : commands.wideReads) {
    if (fits(command, lines, fourByte)) untried_.push_back(command);
  }
  std::stable_sort(untried_.begin(), untried_.end(),
                   [](const WideCommand& a, const WideCommand& b) { return clocksOf(a) < clocksOf(b); });
}

void WideWay::dropFour() {
  constexpr unsigned kFour = 4;
  std::erase_if(untried_, [](const WideCommand& command) { return mostLines(command) >= kFour; });
}

void WideWay::tried(bool agrees) {
  if (untried_.empty()) return;
  if (!agrees) {
    untried_.erase(untried_.begin());
    return;
  }
  read_ = untried_.front();
  untried_.clear();
}

const WideCommand* WideWay::program() const {
  if (!read_) return nullptr;
  const WideCommand* best = nullptr;
  for (const WideCommand& command : commands_.widePrograms) {
    if (!fits(command, read_->addressLines, fourByte_)) continue;
    if (best == nullptr || clocksOf(command) < clocksOf(*best)) best = &command;
  }
  return best;
}

void addWideRead(spi::SpiBatch& batch, const WideCommand& command, ByteSpan address, std::size_t count) {
  Bytes out{command.opcode};
  out.insert(out.end(), address.begin(), address.end());
  out.insert(out.end(), modeBytes(command), 0xFF);
  const unsigned idle = command.modeClocks + command.dummyClocks - modeByteClocks(command);
  const spi::Lines lines{command.addressLines > 1 ? 1 : out.size(), command.addressLines, idle, command.dataLines};
  batch.exchange(std::move(out), count, lines);
}

void addWideProgram(spi::SpiBatch& batch, const WideCommand& command, ByteSpan address, ByteSpan bytes) {
  Bytes out{command.opcode};
  out.insert(out.end(), address.begin(), address.end());
  // There is no command with its address over more lines than one, but over fewer than its data.
  const std::size_t single = command.addressLines > 1 ? 1 : out.size();
  out.insert(out.end(), bytes.begin(), bytes.end());
  batch.exchange(std::move(out), 0, {single, command.dataLines, 0, 1});
}

bool tellLines(ByteSpan bytes, unsigned lines) {
  constexpr unsigned kMost = 4;
  std::array<bool, kMost> low{}, high{};
  std::array<std::array<bool, kMost>, kMost> differ{};
  for (const std::uint8_t byte : bytes) {
    for (unsigned at = 0; at < kBits; at += lines) {
      const unsigned levels = byte >> at;
      for (unsigned a = 0; a < lines; ++a) {
        const bool level = (levels >> a & 1) != 0;
        (level ? high : low)[a] = true;
        for (unsigned b = 0; b < a; ++b) differ[a][b] = differ[a][b] || level != ((levels >> b & 1) != 0);
      }
    }
  }
  for (unsigned a = 0; a < lines; ++a) {
    if (!low[a] || !high[a]) return false;
    for (unsigned b = 0; b < a; ++b) {
      if (!differ[a][b]) return false;
    }
  }
  return true;
}

}  // namespace imprimo::flash
