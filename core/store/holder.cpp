// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/holder.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <array>

#include "core/image/checksum.h"
#include "core/store/folders.h"

namespace imprimo::store {
namespace fs = std::filesystem;

Holder::Holder(const std::string& what, const std::string& who) : who_(fmt::format("{}, process {}", who, ::getpid())) {
  Checksum name(*checksumNamed("sha256"));
  name.add(ByteSpan(reinterpret_cast<const std::uint8_t*>(what.data()), what.size()));
  const fs::path folder = cacheFolder() / "held";
  std::error_code none;
  fs::create_directories(folder, none);
  number_ = ::open((folder / digitsOf(name.result()).substr(0, 32)).c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
  take();
}

Holder::~Holder() {
  if (number_ >= 0) ::close(number_);  // and with it the lock
}

void Holder::take() {
  if (number_ < 0 || mine_) return;
  if (::flock(number_, LOCK_EX | LOCK_NB) == 0) {
    mine_ = true;
    other_.reset();
    [[maybe_unused]] const bool told =
        ::ftruncate(number_, 0) == 0 && ::pwrite(number_, who_.data(), who_.size(), 0) >= 0;
    return;
  }
  std::array<char, 200> text{};
  const ssize_t size = ::pread(number_, text.data(), text.size(), 0);
  other_ = size > 0 ? std::string(text.data(), static_cast<std::size_t>(size)) : "another program";
}

}  // namespace imprimo::store
