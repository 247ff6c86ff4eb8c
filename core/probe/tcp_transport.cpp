// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/tcp_transport.h"

#include <fmt/format.h>
#include <netdb.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>
#include <system_error>

#include "core/base/error.h"

namespace imprimo::probe {
namespace {

using std::chrono::milliseconds;
using Clock = std::chrono::steady_clock;

std::string reason(int code) {
  return std::generic_category().message(code);
}

/// Waits until the socket can do `events`; false when the time is over.
bool waitFor(int socket, short events, Clock::time_point until) {
  for (;;) {
    const auto left = std::chrono::ceil<milliseconds>(until - Clock::now()).count();
    pollfd entry{socket, events, 0};
    const int ready = ::poll(&entry, 1, static_cast<int>(std::max<long>(left, 0)));
    if (ready > 0) return true;
    if (ready == 0) return false;
    if (errno != EINTR) return true;  // the call that follows says what is wrong
  }
}

void setOption(int socket, int level, int option, int value) {
  ::setsockopt(socket, level, option, &value, sizeof value);
}

/// 0 when connected, otherwise the system's error code.
int connectWithin(int socket, const addrinfo& to, Clock::time_point until) {
  if (::connect(socket, to.ai_addr, to.ai_addrlen) == 0) return 0;
  if (errno != EINPROGRESS) return errno;
  if (!waitFor(socket, POLLOUT, until)) return ETIMEDOUT;
  int code = 0;
  socklen_t size = sizeof code;
  ::getsockopt(socket, SOL_SOCKET, SO_ERROR, &code, &size);
  return code;
}

}  // namespace

TcpTransport::TcpTransport(TcpAddress address, milliseconds limit) : address_(std::move(address)) {
  addrinfo hints{};
  hints.ai_socktype = SOCK_STREAM;
  addrinfo* list = nullptr;
  if (const int code = ::getaddrinfo(address_.host.c_str(), std::to_string(address_.port).c_str(), &hints, &list)) {
    throw Error(ErrorKind::NoProbe, fmt::format("{}: {}", name(), ::gai_strerror(code)), "Check the host's name.");
  }
  const std::unique_ptr<addrinfo, void (*)(addrinfo*)> owner(list, ::freeaddrinfo);
  const auto until = Clock::now() + limit;
  int code = EHOSTUNREACH;
  for (const addrinfo* to = list; to != nullptr; to = to->ai_next) {
    socket_ = ::socket(to->ai_family, to->ai_socktype | SOCK_NONBLOCK | SOCK_CLOEXEC, to->ai_protocol);
    if (socket_ < 0) continue;
    code = connectWithin(socket_, *to, until);
    if (code == 0) break;
    ::close(socket_);
    socket_ = -1;
  }
  if (socket_ < 0) {
    throw Error(ErrorKind::NoProbe, fmt::format("no probe answers at {}: {}", name(), reason(code)),
                "Is it running, and is the port right? A simulated bench prints its address when it starts.");
  }
  setOption(socket_, IPPROTO_TCP, TCP_NODELAY, 1);
  setOption(socket_, SOL_SOCKET, SO_KEEPALIVE, 1);
  setOption(socket_, IPPROTO_TCP, TCP_KEEPIDLE, 10);
  setOption(socket_, IPPROTO_TCP, TCP_KEEPINTVL, 5);
  setOption(socket_, IPPROTO_TCP, TCP_KEEPCNT, 3);
}

TcpTransport::~TcpTransport() {
  if (socket_ >= 0) ::close(socket_);
}

void TcpTransport::lost(const std::string& how) const {
  throw Error(ErrorKind::LinkLost, fmt::format("lost the probe at {}: {}", name(), how),
              "Check the cable or the network, and that nobody else uses the probe; then connect again.");
}

void TcpTransport::send(ByteSpan request) {
  Bytes frame{static_cast<std::uint8_t>(request.size()), static_cast<std::uint8_t>(request.size() >> 8)};
  frame.insert(frame.end(), request.begin(), request.end());
  const auto until = Clock::now() + std::chrono::seconds(10);
  for (std::size_t sent = 0; sent < frame.size();) {
    const ssize_t n = ::send(socket_, frame.data() + sent, frame.size() - sent, MSG_NOSIGNAL);
    if (n > 0) {
      sent += static_cast<std::size_t>(n);
    } else if (errno == EAGAIN || errno == EWOULDBLOCK) {
      if (!waitFor(socket_, POLLOUT, until)) lost("it takes no more data");
    } else if (errno != EINTR) {
      lost(reason(errno));
    }
  }
}

Bytes TcpTransport::receive(milliseconds limit) {
  const auto until = Clock::now() + limit;
  for (;;) {
    const std::size_t have = received_.size() - taken_;
    if (have >= 2) {
      const std::size_t length = loadLe16(received_.data() + taken_);
      if (length == 0) lost("it sent an empty frame");
      if (have >= 2 + length) {
        const auto begin = received_.begin() + static_cast<std::ptrdiff_t>(taken_ + 2);
        Bytes response(begin, begin + static_cast<std::ptrdiff_t>(length));
        taken_ += 2 + length;
        if (taken_ == received_.size()) {
          received_.clear();
          taken_ = 0;
        }
        return response;
      }
    }
    if (!waitFor(socket_, POLLIN, until)) lost(fmt::format("no answer within {} ms", limit.count()));
    std::uint8_t piece[16384];
    const ssize_t n = ::recv(socket_, piece, sizeof piece, 0);
    if (n == 0) lost("the other side closed the connection");
    if (n < 0) {
      if (errno == EINTR || errno == EAGAIN || errno == EWOULDBLOCK) continue;
      lost(reason(errno));
    }
    if (taken_ > 0) {
      received_.erase(received_.begin(), received_.begin() + static_cast<std::ptrdiff_t>(taken_));
      taken_ = 0;
    }
    received_.insert(received_.end(), piece, piece + n);
  }
}

}  // namespace imprimo::probe
