// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/release/keys.h"

#include <fmt/format.h>
#include <sodium.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/base/user_folders.h"
#include "core/release/passphrase.h"

namespace imprimo::release {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;
using Salt = std::array<std::uint8_t, crypto_pwhash_SALTBYTES>;
using Nonce = std::array<std::uint8_t, crypto_secretbox_NONCEBYTES>;
using Sealed = std::array<std::uint8_t, crypto_sign_SECRETKEYBYTES + crypto_secretbox_MACBYTES>;

static_assert(crypto_sign_PUBLICKEYBYTES == 32 && crypto_sign_BYTES == 64);

/// What a passphrase becomes to encrypt with.
SecretText stretched(const SecretText& passphrase, const Salt& salt) {
  SecretText key(crypto_secretbox_KEYBYTES);
  const int failed =
      crypto_pwhash(key.data(), key.size(), passphrase.view().data(), passphrase.size(), salt.data(),
                    crypto_pwhash_OPSLIMIT_MODERATE, crypto_pwhash_MEMLIMIT_MODERATE, crypto_pwhash_ALG_ARGON2ID13);
  if (failed != 0) throw Error(ErrorKind::Internal, "there is not enough memory to protect a key");
  return key;
}

template <std::size_t N>
std::array<std::uint8_t, N> digitsAt(const JsonNode& node) {
  std::array<std::uint8_t, N> bytes{};
  if (!fromDigits(node.string(), bytes)) node.fail(fmt::format("should be {} small hexadecimal digits", 2 * N));
  return bytes;
}

PublicKey publicFrom(const JsonNode& root) {
  if (root["imprimo_key"].number() != 1) root["imprimo_key"].fail("is of a newer Imprimo");
  PublicKey key;
  key.name = root["name"].string();
  if (key.name.empty()) root["name"].fail("should name who signs");
  key.bytes = digitsAt<32>(root["key"]);
  return key;
}

Tries triesOf(const fs::path& file) {
  return Tries(file.parent_path() / (file.stem().string() + "-tries.json"));
}

/// Names of keys may hold anything; their digits do not.
std::string fileNameOf(const PublicKey& key) {
  return key.digits().substr(0, 16) + ".json";
}

}  // namespace

std::string lowerDigits(ByteSpan bytes) {
  std::string text;
  for (const std::uint8_t byte : bytes) text += fmt::format("{:02x}", byte);
  return text;
}

bool fromDigits(std::string_view digits, std::span<std::uint8_t> into) {
  if (digits.size() != 2 * into.size()) return false;
  const auto value = [](char c) { return c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : -1; };
  for (std::size_t i = 0; i < into.size(); ++i) {
    const int high = value(digits[2 * i]), low = value(digits[2 * i + 1]);
    if (high < 0 || low < 0) return false;
    into[i] = static_cast<std::uint8_t>(high * 16 + low);
  }
  return true;
}

std::string PublicKey::digits() const {
  return lowerDigits(bytes);
}

PublicKey readPublicKey(const fs::path& file) {
  const JsonText text = JsonText::parse(readTextFile(file, kCardFile), file.string());
  const JsonNode root(text);
  root.onlyKnown({"imprimo_key", "name", "key"});
  return publicFrom(root);
}

std::string publicKeyText(const PublicKey& key) {
  return Json{{"imprimo_key", 1}, {"name", key.name}, {"key", key.digits()}}.dump(2) + "\n";
}

SigningKey SigningKey::make(const fs::path& file, const std::string& name, const SecretText& passphrase) {
  requireSodium();
  requireLongEnough(passphrase);
  if (name.empty()) throw Error(ErrorKind::Usage, "a key has the name of who signs with it");
  std::error_code none;
  if (fs::exists(file, none)) throw Error(ErrorKind::Usage, file.string() + " is a key already");
  PublicKey known{name, {}};
  SecretText secret(crypto_sign_SECRETKEYBYTES);
  crypto_sign_keypair(known.bytes.data(), secret.data());
  Salt salt;
  Nonce nonce;
  Sealed sealed;
  randombytes_buf(salt.data(), salt.size());
  randombytes_buf(nonce.data(), nonce.size());
  const SecretText key = stretched(passphrase, salt);
  crypto_secretbox_easy(sealed.data(), secret.data(), secret.size(), nonce.data(), key.data());
  const Json json = {{"imprimo_key", 1},
                     {"name", name},
                     {"key", known.digits()},
                     {"salt", lowerDigits(salt)},
                     {"nonce", lowerDigits(nonce)},
                     {"sealed", lowerDigits(sealed)}};
  makeFolders(file.parent_path());
  writeFileAtomically(file, json.dump(2) + "\n");
  fs::permissions(file, fs::perms::owner_read | fs::perms::owner_write, none);
  return SigningKey(known, std::move(secret));
}

SigningKey SigningKey::open(const fs::path& file, const SecretText& passphrase) {
  requireSodium();
  const JsonText text = JsonText::parse(readTextFile(file, kCardFile), file.string());
  const JsonNode root(text);
  const PublicKey known = publicFrom(root);
  const Salt salt = digitsAt<crypto_pwhash_SALTBYTES>(root["salt"]);
  const Nonce nonce = digitsAt<crypto_secretbox_NONCEBYTES>(root["nonce"]);
  const auto sealed = digitsAt<std::tuple_size_v<Sealed>>(root["sealed"]);
  Tries tries = triesOf(file);
  tries.requireTime();
  const SecretText key = stretched(passphrase, salt);
  SecretText secret(crypto_sign_SECRETKEYBYTES);
  if (crypto_secretbox_open_easy(secret.data(), sealed.data(), sealed.size(), nonce.data(), key.data()) != 0) {
    tries.wrong();
    throw Error(ErrorKind::Refused, "the passphrase is wrong", "Each wrong one makes the next wait longer.");
  }
  tries.right();
  return SigningKey(known, std::move(secret));
}

PublicKey SigningKey::publicOf(const fs::path& file) {
  const JsonText text = JsonText::parse(readTextFile(file, kCardFile), file.string());
  return publicFrom(JsonNode(text));
}

std::array<std::uint8_t, 64> SigningKey::sign(ByteSpan bytes) const {
  std::array<std::uint8_t, 64> signature{};
  crypto_sign_detached(signature.data(), nullptr, bytes.data(), bytes.size(), secret_.data());
  return signature;
}

bool isSigned(const PublicKey& key, ByteSpan bytes, const std::array<std::uint8_t, 64>& signature) {
  requireSodium();
  return crypto_sign_verify_detached(signature.data(), bytes.data(), bytes.size(), key.bytes.data()) == 0;
}

fs::path signingKeyFile() {
  return dataFolder() / "signing-key.json";
}

TrustedKeys trustedKeys() {
  return TrustedKeys(dataFolder() / "trusted");
}

std::vector<PublicKey> TrustedKeys::all() const {
  std::vector<PublicKey> keys;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(folder_, none)) {
    if (entry.path().extension() == ".json") keys.push_back(readPublicKey(entry.path()));
  }
  std::sort(keys.begin(), keys.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
  return keys;
}

void TrustedKeys::add(const PublicKey& key) {
  for (const PublicKey& each : all()) {
    if (each.name == key.name && !(each == key))
      throw Error(ErrorKind::Usage, fmt::format("another key is trusted as {} already", key.name),
                  "Take that one away first, or give this one another name.");
  }
  makeFolders(folder_);
  writeFileAtomically(folder_ / fileNameOf(key), publicKeyText(key));
}

void TrustedKeys::remove(const std::string& name) {
  for (const PublicKey& each : all()) {
    if (each.name != name) continue;
    std::error_code failure;
    fs::remove(folder_ / fileNameOf(each), failure);
    if (failure) throw Error(ErrorKind::CannotWrite, "cannot remove a key: " + failure.message());
    return;
  }
  throw Error(ErrorKind::Usage, "no key is trusted as " + name);
}

}  // namespace imprimo::release
