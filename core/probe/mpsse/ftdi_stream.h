// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <memory>

#include "core/probe/byte_stream.h"

namespace imprimo::probe {

/// Bytes of answers that a chip keeps until they are read, by its USB product ID: 4096 with two channels, 2048 with
/// four, 1024 with one or where the number is another one.
std::size_t answerRoomOf(std::uint16_t vendorId, std::uint16_t productId);

/// One channel ('A' to 'D') of a high-speed USB serial chip, switched to its serial engine. Throws NoProbe.
std::unique_ptr<ByteStream> openFtdiStream(int bus, int device, char channel, std::size_t answerRoom,
                                           const std::string& name);

}  // namespace imprimo::probe
