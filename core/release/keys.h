// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/release/secret_text.h"

namespace imprimo::release {

/// Who signed, as others see it: Ed25519 (RFC 8032).
struct PublicKey {
  std::string name;  ///< "bench 2"
  std::array<std::uint8_t, 32> bytes{};

  std::string digits() const;  ///< 64 of them, small letters
  bool operator==(const PublicKey& other) const { return bytes == other.bytes; }
};

/// A file that is given to stations (docs/formats/release.md). Throws BadFile with what is wrong.
PublicKey readPublicKey(const std::filesystem::path& file);
std::string publicKeyText(const PublicKey& key);

/// The key that releases are signed with. Its file has it only encrypted (Argon2id, XSalsa20-Poly1305).
class SigningKey {
 public:
  /// Makes one and stores it. Throws Usage for a short passphrase or a name that is empty, CannotWrite.
  static SigningKey make(const std::filesystem::path& file, const std::string& name, const SecretText& passphrase);
  /// Throws BadFile, and Refused for a wrong passphrase, which is counted.
  static SigningKey open(const std::filesystem::path& file, const SecretText& passphrase);
  /// Who signs with it, which needs no passphrase.
  static PublicKey publicOf(const std::filesystem::path& file);

  const PublicKey& publicKey() const { return public_; }
  std::array<std::uint8_t, 64> sign(ByteSpan bytes) const;

 private:
  SigningKey(PublicKey known, SecretText secret) : public_(std::move(known)), secret_(std::move(secret)) {}
  PublicKey public_;
  SecretText secret_;
};

/// Where this user's own lies.
std::filesystem::path signingKeyFile();

/// Whose releases this station runs.
class TrustedKeys {
 public:
  explicit TrustedKeys(std::filesystem::path folder) : folder_(std::move(folder)) {}
  /// In order of names. Throws BadFile.
  std::vector<PublicKey> all() const;
  /// Throws CannotWrite, and Usage where another key has that name.
  void add(const PublicKey& key);
  /// Throws Usage where there is none of that name.
  void remove(const std::string& name);

 private:
  std::filesystem::path folder_;
};
TrustedKeys trustedKeys();

/// Whether `signature` is one of `bytes` by this key.
bool isSigned(const PublicKey& key, ByteSpan bytes, const std::array<std::uint8_t, 64>& signature);
std::string lowerDigits(ByteSpan bytes);
/// Nothing where it is not so many bytes in small digits.
bool fromDigits(std::string_view digits, std::span<std::uint8_t> into);

}  // namespace imprimo::release
