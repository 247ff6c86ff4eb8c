// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/release/secret_text.h"

namespace imprimo::release {

/// By which a passphrase is known again (Argon2id, RFC 9106). Throws Usage for one of less than eight bytes.
std::string passphraseHash(const SecretText& passphrase);
bool fits(const SecretText& passphrase, const std::string& hash);
/// Throws Usage where it is too short to protect anything.
void requireLongEnough(const SecretText& passphrase);

/// Wrong passphrases make the next one wait, twice as long each time, at most five minutes; also in another process.
class Tries {
 public:
  /// Seconds since 1970.
  using Clock = double (*)();
  /// Counted in a file that is made when needed.
  explicit Tries(std::filesystem::path file, Clock clock = &Tries::now) : file_(std::move(file)), clock_(clock) {}
  /// Seconds until the next may be tried.
  double wait() const;
  /// Throws Refused, saying how long, where it is too early.
  void requireTime() const;
  /// Throws CannotWrite: who cannot count must not try.
  void wrong();
  void right();

  static double now();

 private:
  int count(double* last) const;

  std::filesystem::path file_;
  Clock clock_;
};

}  // namespace imprimo::release
