// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/dap/dap_commands.h"

namespace imprimo::probe {
namespace {

constexpr std::uint8_t kExecute = 0x7F, kQueue = 0x7E;

/// Bytes for so many bits, where 0 stands for `most` of them.
std::size_t bytesFor(std::size_t bits, std::size_t most) {
  return ((bits == 0 ? most : bits) + 7) / 8;
}

/// Transfer: each request, and a word behind those that write or match a value.
std::optional<std::size_t> transferLength(ByteSpan bytes) {
  constexpr std::uint8_t kRead = 0x02, kMatchValue = 0x10, kMatchMask = 0x20;
  if (bytes.size() < 3) return std::nullopt;
  std::size_t at = 3;
  for (std::size_t left = bytes[2]; left > 0; --left) {
    if (at >= bytes.size()) return std::nullopt;
    const std::uint8_t request = bytes[at++];
    if ((request & kRead) == 0 || (request & (kMatchValue | kMatchMask)) != 0) at += 4;
  }
  return at;
}

std::optional<std::size_t> blockLength(ByteSpan bytes) {
  if (bytes.size() < 5) return std::nullopt;
  const bool read = (bytes[4] & 0x02) != 0;
  return 5 + (read ? 0 : 4 * static_cast<std::size_t>(bytes[2] | bytes[3] << 8));
}

/// Sequences of clocks; bit 7 of an SWD one says that only the probe listens.
std::optional<std::size_t> sequencesLength(ByteSpan bytes, bool swd) {
  if (bytes.size() < 2) return std::nullopt;
  std::size_t at = 2;
  for (std::size_t left = bytes[1]; left > 0; --left) {
    if (at >= bytes.size()) return std::nullopt;
    const std::uint8_t info = bytes[at++];
    if (!swd || (info & 0x80) == 0) at += bytesFor(info & 0x3F, 64);
  }
  return at;
}

std::optional<std::size_t> lengthOf(ByteSpan bytes) {
  switch (bytes[0]) {
    case 0x03:  // Disconnect
    case 0x07:  // TransferAbort
    case 0x0A:  // ResetTarget
      return 1;
    case 0x00:  // Info
    case 0x02:  // Connect
    case 0x13:  // SWD_Configure
    case 0x16:  // JTAG_IDCODE
      return 2;
    case 0x01:  // HostStatus
    case 0x09:  // Delay
      return 3;
    case 0x11:  // SWJ_Clock
      return 5;
    case 0x04:  // TransferConfigure
    case 0x08:  // WriteABORT
      return 6;
    case 0x10:  // SWJ_Pins
      return 7;
    case 0x05:
      return transferLength(bytes);
    case 0x06:
      return blockLength(bytes);
    case 0x12:  // SWJ_Sequence
      return bytes.size() < 2 ? std::nullopt : std::optional(2 + bytesFor(bytes[1], 256));
    case 0x14:  // JTAG_Sequence
      return sequencesLength(bytes, false);
    case 0x15:  // JTAG_Configure
      return bytes.size() < 2 ? std::nullopt : std::optional<std::size_t>(2 + bytes[1]);
    case 0x1D:  // SWD_Sequence
      return sequencesLength(bytes, true);
    default:
      return std::nullopt;
  }
}

}  // namespace

std::optional<std::size_t> dapCommandLength(ByteSpan bytes) {
  if (bytes.empty()) return std::nullopt;
  const auto length = lengthOf(bytes);
  return length && *length <= bytes.size() ? length : std::nullopt;
}

bool isServed(ByteSpan packet) {
  if (packet.empty()) return false;
  if (packet[0] != kExecute && packet[0] != kQueue) return dapCommandLength(packet).has_value();
  if (packet.size() < 2) return false;
  ByteSpan rest = packet.subspan(2);
  for (std::size_t left = packet[1]; left > 0; --left) {
    const auto length = dapCommandLength(rest);
    if (!length) return false;
    rest = rest.subspan(*length);
  }
  return true;
}

}  // namespace imprimo::probe
