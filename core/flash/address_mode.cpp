// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/address_mode.h"

#include <fmt/format.h>

#include <algorithm>
#include <initializer_list>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/flash/spi_nor_commands.h"

namespace imprimo::flash {
namespace {

constexpr std::size_t kSpots = 64, kBytes = 16;

/// Two reads at each spot, the second one byte further, always with four address bytes.
std::vector<Bytes> readPairs(spi::SpiPort& port, std::span<const std::uint64_t> spots) {
  spi::SpiBatch batch;
  for (const std::uint64_t spot : spots) {
    for (std::uint64_t a = spot; a <= spot + 1; ++a) {
      batch.exchange({command::kRead, static_cast<std::uint8_t>(a >> 24), static_cast<std::uint8_t>(a >> 16),
                      static_cast<std::uint8_t>(a >> 8), static_cast<std::uint8_t>(a)},
                     kBytes);
    }
  }
  return port.run(batch).answers;
}

struct Told {
  std::vector<std::uint64_t> three, four, neither;
};

Told look(spi::SpiPort& port, std::span<const std::uint64_t> spots) {
  Told told;
  const std::vector<Bytes> pairs = readPairs(port, spots);
  for (std::size_t i = 0; i < spots.size(); ++i) {
    const Bytes &first = pairs[2 * i], &second = pairs[2 * i + 1];
    const bool same = first == second;
    const bool overlap = std::equal(first.begin() + 1, first.end(), second.begin());
    if (same && overlap) continue;  // all bytes alike
    (same ? told.three : overlap ? told.four : told.neither).push_back(spots[i]);
  }
  return told;
}

void send(spi::SpiPort& port, std::initializer_list<std::uint8_t> commands) {
  spi::SpiBatch batch;
  for (const std::uint8_t c : commands) batch.exchange({c});
  port.run(batch);
}

/// One way into 4-byte addresses and out of them.
struct Way {
  FourByteEntry entry;
  std::initializer_list<std::uint8_t> enter, leave;
};

}  // namespace

AddressMode addressModeOf(spi::SpiPort& port, std::span<const std::uint64_t> spots,
                          std::vector<std::uint64_t>* telling) {
  Told told = look(port, spots);
  if (!told.neither.empty() || (!told.three.empty() && !told.four.empty())) told = look(port, spots);
  if (!told.neither.empty() || (!told.three.empty() && !told.four.empty())) {
    const std::uint64_t where = told.neither.empty() ? told.three.front() : told.neither.front();
    throw Error(ErrorKind::Refused,
                fmt::format("two reads at {} and one byte further do not fit together", hexAddress(where)),
                "Lower the clock or shorten the cable.")
        .setAt(where);
  }
  if (telling != nullptr) *telling = told.three.empty() ? told.four : told.three;
  return !told.three.empty()  ? AddressMode::ThreeBytes
         : !told.four.empty() ? AddressMode::FourBytes
                              : AddressMode::Untold;
}

std::uint64_t spotNear(std::uint64_t address, std::uint64_t size) {
  const std::uint64_t inside = std::min(address, size - kBytes - 2);
  // The second read must not differ in more than the last address byte.
  return (inside & 0xFF) == 0xFF ? inside - 1 : inside;
}

std::vector<std::uint64_t> spreadSpots(std::uint64_t size) {
  std::vector<std::uint64_t> spots;
  // Half of them in the first 16 MiB, where images begin, half over all of the part; none at the start of a page, which
  // is where headers repeat themselves.
  for (std::size_t i = 0; i < kSpots / 2; ++i) {
    spots.push_back(spotNear(i * (kThreeByteReach / (kSpots / 2)) + 0x135 + 0x101 * i, size));
    spots.push_back(spotNear(i * (size / (kSpots / 2)) + 0x35 + 0x101 * i, size));
  }
  return spots;
}

FourByteEntry tryFourByte(spi::SpiPort& port, std::uint64_t size) {
  static const Way kWays[] = {
      {FourByteEntry::Command, {command::kEnterFourByte}, {command::kLeaveFourByte}},
      {FourByteEntry::WriteEnableThenCommand,
       {command::kWriteEnable, command::kEnterFourByte},
       {command::kWriteEnable, command::kLeaveFourByte}},
  };
  const std::vector<std::uint64_t> spots = spreadSpots(size);
  const AddressMode before = addressModeOf(port, spots);
  if (before == AddressMode::Untold) return FourByteEntry::Unknown;
  const bool four = before == AddressMode::FourBytes;
  const AddressMode other = four ? AddressMode::ThreeBytes : AddressMode::FourBytes;
  for (const Way& way : kWays) {
    send(port, four ? way.leave : way.enter);
    const bool works = addressModeOf(port, spots) == other;
    send(port, four ? way.enter : way.leave);
    // An enable that nothing took must not stay.
    send(port, {command::kWriteDisable});
    if (addressModeOf(port, spots) != before) {
      throw Error(ErrorKind::Refused, "after trying 4-byte addresses the part does not read as before",
                  "Switch the board off and on, and describe the part with a part card that has \"four_byte\".");
    }
    if (works) return way.entry;
  }
  return four ? FourByteEntry::Always : FourByteEntry::Unknown;
}

}  // namespace imprimo::flash
