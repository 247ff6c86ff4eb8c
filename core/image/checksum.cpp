// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/checksum.h"

#include <sodium/crypto_hash_sha256.h>
#include <zlib.h>

#include <array>

#include "core/base/number.h"
#include "core/image/hex_digits.h"

namespace imprimo {
namespace {

struct Named {
  const char* name;
  ChecksumKind kind;
};

const std::vector<Named>& named() {
  using K = ChecksumKind;
  static const std::vector<Named> list = {
      {"length", {K::Length, 4}},
      {"sum8", {K::Sum, 1}},
      {"sum16", {K::Sum, 2}},
      {"sum32", {K::Sum, 4}},
      {"crc16", {K::Crc, 2, {16, 0x1021, 0xFFFF, false, 0}}},
      {"crc16-zero", {K::Crc, 2, {16, 0x1021, 0, false, 0}}},
      {"crc16-reflected", {K::Crc, 2, {16, 0x8005, 0, true, 0}}},
      {"crc32", {K::Crc, 4, {}}},
      {"crc32-plain", {K::Crc, 4, {32, 0x04C11DB7, 0xFFFFFFFF, false, 0xFFFFFFFF}}},
      {"crc32c", {K::Crc, 4, {32, 0x1EDC6F41, 0xFFFFFFFF, true, 0xFFFFFFFF}}},
      {"sha256", {K::Sha256, 32}},
  };
  return list;
}

std::uint32_t reflect(std::uint32_t value, int width) {
  std::uint32_t result = 0;
  for (int i = 0; i < width; ++i) result |= (value >> i & 1u) << (width - 1 - i);
  return result;
}

std::uint32_t maskOf(int width) {
  return width == 32 ? UINT32_MAX : (1u << width) - 1;
}

}  // namespace

/// The remainder is kept left-aligned in 32 bits, or reflected and right-aligned; so one step serves all widths.
class Crc {
 public:
  explicit Crc(const CrcParameters& p) : p_(p), ieee_(p == CrcParameters{}) {
    const std::uint32_t polynomial = p.reflected ? reflect(p.polynomial, p.width) : p.polynomial << (32 - p.width);
    for (std::uint32_t i = 0; i < 256; ++i) {
      std::uint32_t v = p.reflected ? i : i << 24;
      for (int bit = 0; bit < 8; ++bit) {
        v = p.reflected ? (v >> 1) ^ ((v & 1u) != 0 ? polynomial : 0) : (v << 1) ^ (v >> 31 != 0 ? polynomial : 0);
      }
      table_[i] = v;
    }
    value_ = p.reflected ? reflect(p.initial, p.width) : p.initial << (32 - p.width);
    if (ieee_) value_ = 0;
  }
  void add(ByteSpan bytes) {
    if (ieee_) {
      value_ = static_cast<std::uint32_t>(crc32_z(value_, bytes.data(), bytes.size()));
      return;
    }
    std::uint32_t v = value_;
    if (p_.reflected) {
      for (const std::uint8_t b : bytes) v = (v >> 8) ^ table_[(v ^ b) & 0xFF];
    } else {
      for (const std::uint8_t b : bytes) v = (v << 8) ^ table_[(v >> 24) ^ b];
    }
    value_ = v;
  }
  std::uint32_t result() const {
    if (ieee_) return value_;
    return ((p_.reflected ? value_ : value_ >> (32 - p_.width)) ^ p_.finalXor) & maskOf(p_.width);
  }

 private:
  CrcParameters p_;
  bool ieee_;  ///< the one that zlib computes
  std::uint32_t value_ = 0;
  std::array<std::uint32_t, 256> table_{};
};

namespace {

std::optional<ChecksumKind> byParameters(std::string_view text) {
  std::vector<std::string_view> parts;
  while (true) {
    const std::size_t comma = text.find(',');
    parts.push_back(text.substr(0, comma));
    if (comma == std::string_view::npos) break;
    text.remove_prefix(comma + 1);
  }
  const bool reflected = parts.size() == 5 && parts[4] == "reflected";
  if (parts.size() != 4 && !reflected) return std::nullopt;
  std::array<std::uint32_t, 4> values{};
  for (std::size_t i = 0; i < 4; ++i) {
    const auto value = parseNumber(parts[i]);
    if (!value || *value > UINT32_MAX) return std::nullopt;
    values[i] = static_cast<std::uint32_t>(*value);
  }
  const int width = static_cast<int>(std::min<std::uint32_t>(values[0], 99));
  if (width < 8 || width > 32) return std::nullopt;
  for (std::size_t i = 1; i < 4; ++i) {
    if (values[i] > maskOf(width)) return std::nullopt;
  }
  ChecksumKind kind{ChecksumKind::Crc, (width + 7) / 8, {width, values[1], values[2], reflected, values[3]}};
  return kind;
}

}  // namespace

std::optional<ChecksumKind> checksumNamed(std::string_view name) {
  for (const Named& n : named()) {
    if (n.name == name) return n.kind;
  }
  if (name.starts_with("crc:")) return byParameters(name.substr(4));
  return std::nullopt;
}

std::vector<std::string> checksumNames() {
  std::vector<std::string> names;
  for (const Named& n : named()) names.emplace_back(n.name);
  return names;
}

struct Checksum::State {
  explicit State(const ChecksumKind& k) : kind(k), crc(k.crc) { crypto_hash_sha256_init(&sha); }
  ChecksumKind kind;
  Crc crc;
  std::uint64_t number = 0;  // a length or a sum
  crypto_hash_sha256_state sha{};
};

Checksum::Checksum(const ChecksumKind& kind) : state_(std::make_unique<State>(kind)) {}
Checksum::~Checksum() = default;

void Checksum::add(ByteSpan bytes) {
  switch (state_->kind.type) {
    case ChecksumKind::Length:
      state_->number += bytes.size();
      return;
    case ChecksumKind::Sum:
      for (const std::uint8_t b : bytes) state_->number += b;
      return;
    case ChecksumKind::Crc:
      return state_->crc.add(bytes);
    case ChecksumKind::Sha256:
      crypto_hash_sha256_update(&state_->sha, bytes.data(), bytes.size());
  }
}

Bytes Checksum::result() {
  if (state_->kind.type == ChecksumKind::Sha256) {
    Bytes digest(crypto_hash_sha256_BYTES);
    crypto_hash_sha256_final(&state_->sha, digest.data());
    return digest;
  }
  const std::uint64_t value = state_->kind.type == ChecksumKind::Crc ? state_->crc.result() : state_->number;
  Bytes bytes(static_cast<std::size_t>(state_->kind.bytes));
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    bytes[bytes.size() - 1 - i] = static_cast<std::uint8_t>(value >> (8 * i));
  }
  return bytes;
}

Bytes checksumOf(const ChecksumKind& kind, ByteSpan bytes) {
  Checksum sum(kind);
  sum.add(bytes);
  return sum.result();
}

std::string digitsOf(ByteSpan bytes) {
  std::string text;
  appendHex(text, bytes);
  return text;
}

}  // namespace imprimo
