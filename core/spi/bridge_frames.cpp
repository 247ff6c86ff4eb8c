// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/spi/bridge_frames.h"

#include <algorithm>
#include <array>

namespace imprimo::spi::bridge {
namespace {
constexpr std::array<std::uint8_t, 6> kMagic{'I', 'M', 'P', 'R', 0x01, 0x00};
constexpr std::size_t kStatusAt = 6;
}  // namespace

std::uint8_t crc8(ByteSpan bytes) {
  std::uint8_t crc = 0;
  for (const std::uint8_t byte : bytes) {
    crc ^= byte;
    for (int i = 0; i < 8; ++i) crc = static_cast<std::uint8_t>(crc & 0x80 ? crc << 1 ^ 0x07 : crc << 1);
  }
  return crc;
}

void appendHeader(BitVector& stream, Opcode opcode, std::size_t length) {
  std::array<std::uint8_t, kHeaderBytes> header{kSync, static_cast<std::uint8_t>(opcode),
                                                static_cast<std::uint8_t>(length),
                                                static_cast<std::uint8_t>(length >> 8), 0};
  header[4] = crc8(ByteSpan(header).subspan(1, 3));
  stream.appendLsbFirst(header);
}

void appendHello(BitVector& stream) {
  appendHeader(stream, Opcode::Hello, kHelloBytes);
  stream.appendFill(false, 8 * kHelloBytes);
}

void appendExchange(BitVector& stream, ByteSpan out, std::size_t read) {
  appendHeader(stream, Opcode::Exchange, out.size() + read);
  stream.appendMsbFirst(out);
  stream.appendFill(false, 8 * read);
}

void appendGuard(BitVector& stream, std::uint8_t command, std::uint8_t mask, std::uint8_t value,
                 std::size_t statusBytes) {
  appendHeader(stream, Opcode::Guard, kGuardLead + statusBytes);
  const std::array<std::uint8_t, 3> lead{command, mask, value};
  stream.appendMsbFirst(lead);
  stream.appendFill(false, 8 * (1 + statusBytes));
}

void appendMark(BitVector& stream, ByteSpan mark) {
  appendHeader(stream, Opcode::Mark, kMarkBytes);
  stream.appendMsbFirst(mark);
}

std::optional<HelloAnswer> readHello(ByteSpan answer) {
  if (answer.size() != kHelloBytes || !std::equal(kMagic.begin(), kMagic.end(), answer.begin())) return std::nullopt;
  const std::uint8_t status = answer[kStatusAt];
  if ((status & ~0x03u) != 0 || answer[7] != 0) return std::nullopt;
  return HelloAnswer{(status & 0x01) != 0, (status & 0x02) != 0};
}

}  // namespace imprimo::spi::bridge
