// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo {

/// A cyclic redundancy check of 8 to 32 bits, by the parameters that data sheets give.
struct CrcParameters {
  int width = 32;
  std::uint32_t polynomial = 0x04C11DB7;  ///< without its highest term
  std::uint32_t initial = 0xFFFFFFFF;
  bool reflected = true;  ///< bytes go in, and the remainder comes out, least significant bit first
  std::uint32_t finalXor = 0xFFFFFFFF;
  friend bool operator==(const CrcParameters&, const CrcParameters&) = default;
};

/// What can be computed over bytes.
struct ChecksumKind {
  enum Type { Length, Sum, Crc, Sha256 } type = Crc;
  int bytes = 4;  ///< in the result; sums are taken modulo 256^bytes
  CrcParameters crc = {};
  friend bool operator==(const ChecksumKind&, const ChecksumKind&) = default;
};

/// By name: "length", "sum8", "sum16", "sum32", "crc16" (CCITT polynomial 0x1021 from 0xFFFF), "crc16-zero" (the same
/// from 0), "crc16-reflected" (0x8005, reflected, from 0), "crc32" (IEEE 802.3), "crc32-plain" (the same, not
/// reflected), "crc32c" (0x1EDC6F41), "sha256"; or by parameters: "crc:WIDTH,POLYNOMIAL,INITIAL,FINAL[,reflected]".
/// Nothing for any other name.
std::optional<ChecksumKind> checksumNamed(std::string_view name);
std::vector<std::string> checksumNames();

/// The result, high byte first; SHA-256 (FIPS 180-4) as it is.
class Checksum {
 public:
  explicit Checksum(const ChecksumKind& kind);
  Checksum(const Checksum&) = delete;
  ~Checksum();
  void add(ByteSpan bytes);
  Bytes result();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

Bytes checksumOf(const ChecksumKind& kind, ByteSpan bytes);
/// "8D3F11C0": the result in digits.
std::string digitsOf(ByteSpan bytes);

}  // namespace imprimo
