// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/serial/serial_pty.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <stdlib.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <asm/termbits.h>
#include <cerrno>
#include <cstring>

#include "core/base/error.h"

namespace imprimo::sim {
namespace {

ChipUart& uartOf(Board& board) {
  for (std::size_t i = 0; i < board.coreCount(); ++i) {
    if (board.chip(i).uart() != nullptr) return *board.chip(i).uart();
  }
  throw Error(ErrorKind::Refused, "no chip of the bench has a serial interface", "Give a core \"uart\".");
}

}  // namespace

SerialPty::SerialPty(Board& board) : board_(board), uart_(uartOf(board)) {
  plugIn();
}

SerialPty::~SerialPty() {
  unplug();
}

void SerialPty::unplug() {
  if (master_ >= 0) ::close(master_);
  master_ = -1;
}

void SerialPty::plugIn() {
  unplug();
  master_ = ::posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
  char name[128] = {};
  if (master_ < 0 || ::grantpt(master_) != 0 || ::unlockpt(master_) != 0 ||
      ::ptsname_r(master_, name, sizeof name) != 0)
    throw Error(ErrorKind::Refused, fmt::format("there is no pseudo-terminal: {}", std::strerror(errno)));
  path_ = name;
  // Until somebody has opened it once, it does not say that nobody has.
  const int slave = ::open(name, O_RDWR | O_NOCTTY | O_CLOEXEC);
  if (slave < 0) return;
  // As a serial port is: nothing is echoed or changed.
  termios2 raw{};
  ::ioctl(slave, TCGETS2, &raw);
  raw.c_iflag = raw.c_oflag = raw.c_lflag = 0;
  raw.c_cflag = CS8 | CREAD | CLOCAL | B9600;
  ::ioctl(slave, TCSETS2, &raw);
  ::close(slave);
}

/// That whoever has it open has set.
std::uint32_t SerialPty::baud() const {
  termios2 settings{};
  if (::ioctl(master_, TCGETS2, &settings) != 0) return 0;
  return settings.c_ospeed;
}

bool SerialPty::isOpen() const {
  pollfd entry{master_, POLLIN, 0};
  return ::poll(&entry, 1, 0) >= 0 && (entry.revents & POLLHUP) == 0;
}

void SerialPty::pump() {
  board_.runCores();
  const LineLevels levels = uart_.take(board_.now());
  if (master_ < 0 || !isOpen()) return;
  const std::uint32_t rate = baud();
  if (rate == 0) return;
  const Time bit = fromSeconds(1.0 / rate);
  if (rate != receiverBaud_) receiver_.setBit(bit);
  receiverBaud_ = rate;
  Bytes bytes;
  for (const LineLevel& level : levels) receiver_.feed(level, [&](std::uint8_t byte, bool) { bytes.push_back(byte); });
  // Its buffer may be full: then it is lost, as on a port that nobody reads.
  if (!bytes.empty()) {
    [[maybe_unused]] const ssize_t written = ::write(master_, bytes.data(), bytes.size());
  }
  std::uint8_t piece[256];
  const ssize_t count = ::read(master_, piece, sizeof piece);
  LineLevels sent;
  for (ssize_t i = 0; i < count; ++i) sendUart(piece[i], bit, sent);
  if (!sent.empty()) sent.push_back({true, bit * 20});
  uart_.hear(sent);
}

}  // namespace imprimo::sim
