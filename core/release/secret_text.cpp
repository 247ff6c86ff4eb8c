// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/release/secret_text.h"

#include <sodium.h>

#include <cstring>

#include "core/base/error.h"

namespace imprimo::release {
namespace {

constexpr std::size_t kMost = 1024;

}  // namespace

void requireSodium() {
  if (sodium_init() < 0) throw Error(ErrorKind::Internal, "libsodium does not work on this computer");
}

void wipe(std::string& text) {
  if (!text.empty()) sodium_memzero(text.data(), text.size());
  text.clear();
}

void SecretText::Free::operator()(char* bytes) const {
  sodium_free(bytes);  // overwrites it
}

SecretText::SecretText(std::size_t size) : size_(size) {
  requireSodium();
  bytes_.reset(static_cast<char*>(sodium_malloc(size == 0 ? 1 : size)));
  if (!bytes_) throw Error(ErrorKind::Internal, "there is no memory for a passphrase");
  sodium_memzero(bytes_.get(), size == 0 ? 1 : size);
}

SecretText::SecretText(std::string&& text) : SecretText(std::min(text.size(), kMost)) {
  const bool fits = text.size() <= kMost;
  if (fits && !text.empty()) std::memcpy(bytes_.get(), text.data(), text.size());
  wipe(text);
  if (!fits) throw Error(ErrorKind::Usage, "a passphrase has at most 1024 bytes");
}

}  // namespace imprimo::release
