// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/passphrase_input.h"

#include <fcntl.h>
#include <termios.h>
#include <unistd.h>

#include <cstring>

#include "core/base/error.h"

namespace imprimo::ctl {
namespace {

constexpr std::size_t kMost = 1024;

/// Takes a file's number, and the terminal's ways, back to how they were.
class Terminal {
 public:
  explicit Terminal(const char* path, int flags) : number_(::open(path, flags | O_CLOEXEC)) {}
  Terminal(const Terminal&) = delete;
  Terminal& operator=(const Terminal&) = delete;
  ~Terminal() {
    if (hidden_) ::tcsetattr(number_, TCSAFLUSH, &before_);
    if (number_ >= 0) ::close(number_);
  }
  bool isOpen() const { return number_ >= 0; }
  int number() const { return number_; }
  void hide() {
    if (::tcgetattr(number_, &before_) != 0) return;
    termios quiet = before_;
    quiet.c_lflag &= ~static_cast<tcflag_t>(ECHO);
    hidden_ = ::tcsetattr(number_, TCSAFLUSH, &quiet) == 0;
  }
  void say(const char* text) const {
    if (::write(number_, text, std::strlen(text)) < 0) return;  // who cannot be asked does not answer either
  }

 private:
  int number_;
  bool hidden_ = false;
  termios before_{};
};

/// Byte by byte: no buffer of anybody's keeps a copy.
release::SecretText lineFrom(int number) {
  std::string line;
  line.reserve(kMost + 1);
  for (char c = 0; line.size() <= kMost && ::read(number, &c, 1) == 1 && c != '\n';) line += c;
  if (!line.empty() && line.back() == '\r') line.pop_back();
  return release::SecretText(std::move(line));
}

}  // namespace

release::SecretText passphraseFrom(const std::string& file, const char* question) {
  if (file == "-") return lineFrom(STDIN_FILENO);
  if (!file.empty()) {
    const Terminal input(file.c_str(), O_RDONLY);
    if (!input.isOpen()) throw Error(ErrorKind::BadFile, file + " cannot be opened: " + std::strerror(errno));
    return lineFrom(input.number());
  }
  Terminal terminal("/dev/tty", O_RDWR);
  if (!terminal.isOpen())
    throw Error(ErrorKind::Usage, "there is no terminal to ask for the passphrase at", "Give --passphrase-file FILE.");
  terminal.hide();
  terminal.say(question);
  release::SecretText passphrase = lineFrom(terminal.number());
  terminal.say("\n");
  return passphrase;
}

}  // namespace imprimo::ctl
