// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/release/passphrase.h"

#include <fmt/format.h>
#include <sodium.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"

namespace imprimo::release {
namespace {

constexpr std::size_t kShortest = 8;
constexpr double kLongestWait = 300;

}  // namespace

void requireLongEnough(const SecretText& passphrase) {
  if (passphrase.size() < kShortest)
    throw Error(ErrorKind::Usage, fmt::format("a passphrase has at least {} bytes", kShortest),
                "Several words are easier to remember than signs.");
}

std::string passphraseHash(const SecretText& passphrase) {
  requireLongEnough(passphrase);
  std::string hash(crypto_pwhash_STRBYTES, '\0');
  const int failed = crypto_pwhash_str_alg(hash.data(), passphrase.view().data(), passphrase.size(),
                                           crypto_pwhash_OPSLIMIT_INTERACTIVE, crypto_pwhash_MEMLIMIT_INTERACTIVE,
                                           crypto_pwhash_ALG_ARGON2ID13);
  if (failed != 0) throw Error(ErrorKind::Internal, "there is not enough memory to protect a passphrase");
  hash.resize(hash.find('\0'));
  return hash;
}

bool fits(const SecretText& passphrase, const std::string& hash) {
  if (hash.size() >= crypto_pwhash_STRBYTES) return false;
  std::string whole(crypto_pwhash_STRBYTES, '\0');
  std::copy(hash.begin(), hash.end(), whole.begin());
  return crypto_pwhash_str_verify(whole.data(), passphrase.view().data(), passphrase.size()) == 0;
}

double Tries::now() {
  return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
}

int Tries::count(double* last) const {
  std::error_code none;
  if (!std::filesystem::exists(file_, none)) return 0;
  const auto json = nlohmann::ordered_json::parse(readTextFile(file_, kListFile), nullptr, false);
  // One that somebody spoiled to try more is no reason to let them.
  if (!json.is_object() || !json.contains("wrong") || !json["wrong"].is_number_integer() || !json.contains("last") ||
      !json["last"].is_number()) {
    *last = clock_();
    return 1;
  }
  *last = std::min(json["last"].get<double>(), clock_());  // a clock that was set back must not shut out
  return std::clamp(json["wrong"].get<int>(), 0, 1000);
}

double Tries::wait() const {
  double last = 0;
  const int wrong = count(&last);
  if (wrong == 0) return 0;
  const double pause = std::min(std::ldexp(1.0, std::min(wrong, 20) - 1), kLongestWait);
  return std::max(0.0, last + pause - clock_());
}

void Tries::requireTime() const {
  const double seconds = wait();
  if (seconds > 0)
    throw Error(ErrorKind::Refused,
                fmt::format("after a wrong passphrase the next may be tried in {:.0f} s", std::ceil(seconds)));
}

void Tries::wrong() {
  double last = 0;
  const nlohmann::ordered_json json = {{"wrong", count(&last) + 1}, {"last", clock_()}};
  makeFolders(file_.parent_path());
  writeFileAtomically(file_, json.dump() + "\n");
}

void Tries::right() {
  std::error_code none;
  std::filesystem::remove(file_, none);
}

}  // namespace imprimo::release
