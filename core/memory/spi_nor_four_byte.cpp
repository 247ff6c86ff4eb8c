// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/error.h"
#include "core/memory/spi_nor_commands.h"
#include "core/memory/spi_nor_identity.h"

namespace imprimo::memory {
namespace {

constexpr std::size_t kSpots = 64, kBytes = 16;

std::uint32_t spotAt(std::size_t i) {
  // Spread over the lower 16 MiB, never at a multiple of 256, so that a swallowed address byte shows.
  return static_cast<std::uint32_t>(i * (kThreeByteReach / kSpots) + 0x135 + 0x101 * i);
}

std::vector<Bytes> readAt(spi::SpiPort& port, const std::vector<std::uint32_t>& addresses, bool four) {
  spi::SpiBatch batch;
  for (const std::uint32_t a : addresses) {
    Bytes out{command::kRead};
    for (int shift = four ? 24 : 16; shift >= 0; shift -= 8) out.push_back(static_cast<std::uint8_t>(a >> shift));
    batch.exchange(std::move(out), kBytes);
  }
  return port.run(batch).answers;
}

void send(spi::SpiPort& port, std::initializer_list<std::uint8_t> commands) {
  spi::SpiBatch batch;
  for (const std::uint8_t c : commands) batch.exchange({c});
  port.run(batch);
}

}  // namespace

FourByteEntry tryFourByte(spi::SpiPort& port) {
  std::vector<std::uint32_t> spots, misread;
  for (std::size_t i = 0; i < kSpots; ++i) {
    spots.push_back(spotAt(i));
    // A part that stays at three bytes takes the upper three, and the fourth clocks one byte of data away.
    misread.push_back((spotAt(i) >> 8) + 1);
  }
  const std::vector<Bytes> there = readAt(port, spots, false), wrong = readAt(port, misread, false);
  std::vector<std::uint32_t> telling;
  std::vector<Bytes> expected;
  for (std::size_t i = 0; i < kSpots; ++i) {
    if (there[i] == wrong[i]) continue;
    telling.push_back(spots[i]);
    expected.push_back(there[i]);
  }
  if (telling.empty()) return FourByteEntry::Unknown;

  const auto proven = [&](std::initializer_list<std::uint8_t> enter, std::initializer_list<std::uint8_t> leave) {
    send(port, enter);
    const bool works = readAt(port, telling, true) == expected;
    send(port, leave);
    if (readAt(port, telling, false) == expected) return works;
    throw Error(ErrorKind::Refused, "after trying 4-byte addresses the part does not read as before",
                "Switch the board off and on, and describe the part with a part card that has \"four_byte\".");
  };
  if (proven({command::kEnterFourByte}, {command::kLeaveFourByte})) return FourByteEntry::Command;
  if (proven({command::kWriteEnable, command::kEnterFourByte}, {command::kWriteEnable, command::kLeaveFourByte}))
    return FourByteEntry::WriteEnableThenCommand;
  return FourByteEntry::Unknown;
}

}  // namespace imprimo::memory
