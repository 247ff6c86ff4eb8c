// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/base/bit_vector.h"
#include "core/base/bytes.h"

namespace imprimo::spi {

/// The frames of the SPI bridge, version 1: five header bytes, least significant bit first, then a body, most
/// significant bit first.
namespace bridge {

enum class Opcode : std::uint8_t { Hello = 0x01, Exchange = 0x02, Guard = 0x03, Mark = 0x04 };

constexpr std::uint8_t kSync = 0xA7;
constexpr std::size_t kHeaderBytes = 5;
constexpr std::size_t kHeaderBits = 8 * kHeaderBytes;
/// From the end of a command to the first status byte of the guard behind it: header, command, mask, value and the
/// status command itself.
constexpr std::uint32_t kStatusLeadBits = 72;
constexpr std::size_t kHelloBytes = 8;
constexpr std::size_t kMarkBytes = 4;
constexpr std::size_t kMostBodyBytes = 0xFFFF;
/// Body bytes of a guard before its first status byte: command, mask, value, and the command as it goes out.
constexpr std::size_t kGuardLead = 4;

/// Polynomial 0x07, start 0, not reflected.
std::uint8_t crc8(ByteSpan bytes);

/// Appends a frame header for a body of `length` bytes.
void appendHeader(BitVector& stream, Opcode opcode, std::size_t length);
void appendHello(BitVector& stream);
void appendExchange(BitVector& stream, ByteSpan out, std::size_t read);
void appendGuard(BitVector& stream, std::uint8_t command, std::uint8_t mask, std::uint8_t value,
                 std::size_t statusBytes);
/// `mark` has kMarkBytes bytes; as many are answered.
void appendMark(BitVector& stream, ByteSpan mark);

struct HelloAnswer {
  bool headerRefused = false;  ///< since the last hello
  bool framesDropped = false;  ///< by a hold, since the last hello
  bool clean() const { return !headerRefused && !framesDropped; }
};
/// Nothing unless the eight bytes are those of a bridge of version 1.
std::optional<HelloAnswer> readHello(ByteSpan answer);

}  // namespace bridge
}  // namespace imprimo::spi
