// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/standard_stream.h"

#include <fcntl.h>
#include <poll.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <streambuf>
#include <string>

#include "core/base/visible_text.h"

namespace imprimo::ctl {
namespace {

/// A file's number, written to as streams are.
class NumberBuffer : public std::streambuf {
 public:
  NumberBuffer(int number, std::function<void()> broken) : number_(number), broken_(std::move(broken)) {
    setp(buffer_.data(), buffer_.data() + buffer_.size());
  }

 private:
  bool put(const char* text, std::size_t count) {
    while (count > 0 && !failed_) {
      const ssize_t n = ::write(number_, text, count);
      if (n >= 0) {
        text += n;
        count -= static_cast<std::size_t>(n);
      } else if (errno == EAGAIN) {
        pollfd entry{number_, POLLOUT, 0};
        ::poll(&entry, 1, 1000);
      } else if (errno != EINTR) {
        failed_ = true;
        if (errno == EPIPE && broken_) broken_();
      }
    }
    return !failed_;
  }
  int sync() override {
    const bool good = put(pbase(), static_cast<std::size_t>(pptr() - pbase()));
    setp(buffer_.data(), buffer_.data() + buffer_.size());
    return good ? 0 : -1;
  }
  int_type overflow(int_type c) override {
    if (sync() != 0) return traits_type::eof();
    if (!traits_type::eq_int_type(c, traits_type::eof())) sputc(traits_type::to_char_type(c));
    return traits_type::not_eof(c);
  }

  int number_;
  std::function<void()> broken_;
  bool failed_ = false;
  std::array<char, 8192> buffer_;
};

class VisibleBuffer : public std::streambuf {
 public:
  explicit VisibleBuffer(std::ostream& to) : to_(to) {}

 private:
  void passOn() {
    to_ << visibleLines(line_);
    line_.clear();
  }
  int sync() override {
    passOn();
    to_.flush();
    return to_ ? 0 : -1;
  }
  int_type overflow(int_type c) override {
    if (traits_type::eq_int_type(c, traits_type::eof())) return traits_type::not_eof(c);
    const char character = traits_type::to_char_type(c);
    return xsputn(&character, 1) == 1 ? c : traits_type::eof();
  }
  std::streamsize xsputn(const char* text, std::streamsize count) override {
    line_.append(text, static_cast<std::size_t>(count));
    if (line_.find('\n') != std::string::npos) passOn();
    return to_ ? count : 0;
  }

  std::ostream& to_;
  std::string line_;
};

}  // namespace

void holdStandardNumbers() {
  for (int number = 0; number <= 2; ++number) {
    // The wrong way round, so that using it is still an error.
    if (::fcntl(number, F_GETFD) < 0 && errno == EBADF) ::open("/dev/null", number == 0 ? O_WRONLY : O_RDONLY);
  }
}

StandardStream::StandardStream(int number, std::function<void()> broken)
    : std::ostream(nullptr), buffer_(std::make_unique<NumberBuffer>(number, std::move(broken))) {
  rdbuf(buffer_.get());
}

StandardStream::~StandardStream() {
  flush();
}

VisibleStream::VisibleStream(std::ostream& to) : std::ostream(nullptr), buffer_(std::make_unique<VisibleBuffer>(to)) {
  rdbuf(buffer_.get());
}

VisibleStream::~VisibleStream() {
  flush();
}

}  // namespace imprimo::ctl
