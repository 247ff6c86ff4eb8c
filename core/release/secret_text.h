// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <string_view>

namespace imprimo::release {

/// A passphrase or a key. It lies in memory that is kept out of swap files, and is overwritten when it goes away.
class SecretText {
 public:
  /// Takes it over: `text` is overwritten. Throws Usage for more than 1 024 bytes.
  explicit SecretText(std::string&& text);
  /// So many bytes, zero.
  explicit SecretText(std::size_t size);
  SecretText(SecretText&&) noexcept = default;
  SecretText& operator=(SecretText&&) noexcept = default;

  std::string_view view() const { return {bytes_.get(), size_}; }
  unsigned char* data() { return reinterpret_cast<unsigned char*>(bytes_.get()); }
  const unsigned char* data() const { return reinterpret_cast<const unsigned char*>(bytes_.get()); }
  std::size_t size() const { return size_; }

 private:
  struct Free {
    void operator()(char* bytes) const;
  };
  std::unique_ptr<char, Free> bytes_;
  std::size_t size_ = 0;
};

/// Overwrites a text where it stands.
void wipe(std::string& text);
/// Called before anything of libsodium is. Throws Internal where it does not work.
void requireSodium();

}  // namespace imprimo::release
