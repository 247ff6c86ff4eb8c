// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/secret_hash.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sodium.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstring>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/user_folders.h"
#include "core/image/checksum.h"
#include "core/units/unit_values.h"

namespace imprimo::records {
namespace {

constexpr std::size_t kKeyBytes = 32, kNameBytes = 4, kHashBytes = 16;

[[noreturn]] void cannotKeep(const std::filesystem::path& file) {
  throw Error(ErrorKind::CannotWrite,
              fmt::format("{}: the key for secrets cannot be kept: {}", file.string(), std::strerror(errno)));
}

/// Made under another name and linked, so that of two programs that are first, one makes it and both read it.
void makeKey(const std::filesystem::path& file) {
  std::error_code none;
  std::filesystem::create_directories(file.parent_path(), none);
  std::string fresh = file.string() + ".XXXXXX";
  const int number = ::mkstemp(fresh.data());  // only the user may read it
  if (number < 0) cannotKeep(file);
  const Bytes key = units::randomBytes(kKeyBytes);
  const bool written =
      ::write(number, key.data(), key.size()) == static_cast<ssize_t>(key.size()) && ::fsync(number) == 0;
  ::close(number);
  const bool linked = written && (::link(fresh.c_str(), file.c_str()) == 0 || errno == EEXIST);
  const int failure = errno;
  ::unlink(fresh.c_str());
  errno = failure;
  if (!linked) cannotKeep(file);
}

std::string key() {
  const std::filesystem::path file = dataFolder() / "unit-hash.key";
  std::error_code none;
  if (!std::filesystem::exists(file, none)) makeKey(file);
  std::string bytes = readTextFile(file);
  if (bytes.size() != kKeyBytes)
    throw Error(ErrorKind::BadFile,
                fmt::format("{} is not the key that was made: it has {} bytes", file.string(), bytes.size()),
                "Restore it from a backup, or take it away: then secrets of before cannot be recognised.");
  return bytes;
}

Bytes hashed(const std::string& key, const std::string& text, std::size_t size) {
  Bytes hash(kKeyBytes);
  crypto_generichash(hash.data(), hash.size(), reinterpret_cast<const unsigned char*>(text.data()), text.size(),
                     reinterpret_cast<const unsigned char*>(key.data()), key.size());
  hash.resize(size);
  return hash;
}

}  // namespace

std::string secretHash(const std::string& value) {
  const std::string secret = key();
  return fmt::format("hash:{}:{}", digitsOf(hashed(secret, "name of the key", kNameBytes)),
                     digitsOf(hashed(secret, "value " + value, kHashBytes)));
}

}  // namespace imprimo::records
