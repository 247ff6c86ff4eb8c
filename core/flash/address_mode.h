// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/flash/nor_commands.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// How many address bytes a serial flash over 16 MiB takes with its read command.
enum class AddressMode { Untold, ThreeBytes, FourBytes };

/// Found out by reads alone, without knowing what the part holds: of two reads with four address bytes that begin one
/// byte apart the answers overlap in a part that took all four; one that took three sees the same address twice. Untold
/// where the bytes at all of `spots` are alike. The spots that told are put into `telling`, where that is given. Throws
/// Refused where reads are neither, twice; LinkLost.
AddressMode addressModeOf(spi::SpiPort& port, std::span<const std::uint64_t> spots,
                          std::vector<std::uint64_t>* telling = nullptr);

/// Addresses spread over a part of `size` bytes, each good for addressModeOf.
std::vector<std::uint64_t> spreadSpots(std::uint64_t size);
/// `address`, or the nearest one below that is good for addressModeOf; it is inside a part of `size` bytes.
std::uint64_t spotNear(std::uint64_t address, std::uint64_t size);

/// The ways to 4-byte addresses are tried on a part that names none, and proven by reading. The part is as before
/// afterwards. Unknown where nothing works, or the part holds nothing by which it could be told. Throws Refused where
/// it could not be put back.
FourByteEntry tryFourByte(spi::SpiPort& port, std::uint64_t size);

}  // namespace imprimo::flash
