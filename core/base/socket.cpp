// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/socket.h"

#include <arpa/inet.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>
#include <memory>
#include <system_error>
#include <utility>

#include "core/base/number.h"

namespace imprimo {
namespace {

using Clock = std::chrono::steady_clock;
using std::chrono::milliseconds;

using AddressList = std::unique_ptr<addrinfo, void (*)(addrinfo*)>;

AddressList lookUp(const HostPort& place, int flags, std::string& reason) {
  addrinfo hints{};
  hints.ai_socktype = SOCK_STREAM;
  hints.ai_flags = flags;
  addrinfo* list = nullptr;
  const int code = ::getaddrinfo(place.host.c_str(), std::to_string(place.port).c_str(), &hints, &list);
  if (code != 0) {
    reason = ::gai_strerror(code);
    list = nullptr;
  }
  return {list, ::freeaddrinfo};
}

std::string systemReason(int code) {
  return std::generic_category().message(code);
}

/// Connections that may wait to be taken; with a few only, a crowd of bad ones makes honest ones wait for seconds.
constexpr int kWaiting = 128;

/// 0 when connected, otherwise the system's error code.
int connectWithin(const Socket& socket, const addrinfo& to, Clock::time_point until, const std::stop_token& stop) {
  if (::connect(socket.number(), to.ai_addr, to.ai_addrlen) == 0) return 0;
  if (errno != EINPROGRESS) return errno;
  if (!waitFor(socket, POLLOUT, until, stop)) return stop.stop_requested() ? ECANCELED : ETIMEDOUT;
  int code = 0;
  socklen_t size = sizeof code;
  ::getsockopt(socket.number(), SOL_SOCKET, SO_ERROR, &code, &size);
  return code;
}

void setOption(const Socket& socket, int level, int option, int value) {
  ::setsockopt(socket.number(), level, option, &value, sizeof value);
}

}  // namespace

std::string HostPort::text() const {
  return host.find(':') == std::string::npos ? fmt::format("{}:{}", host, port) : fmt::format("[{}]:{}", host, port);
}

bool HostPort::isLoopback() const {
  in_addr address{};  // a name may begin with "127." too
  const bool fourNumbers = ::inet_pton(AF_INET, host.c_str(), &address) == 1;
  return host == "localhost" || host == "::1" || (fourNumbers && ntohl(address.s_addr) >> 24 == 127);
}

std::optional<HostPort> parseHostPort(std::string_view text, bool anyPort) {
  const auto colon = text.rfind(':');
  if (colon == std::string_view::npos) return std::nullopt;
  const auto port = parseNumber(text.substr(colon + 1));
  std::string_view host = text.substr(0, colon);
  if (host.size() > 2 && host.front() == '[' && host.back() == ']') {
    host = host.substr(1, host.size() - 2);
  } else if (host.find(':') != std::string_view::npos) {
    return std::nullopt;
  }
  if (host.empty() || !port || (*port == 0 && !anyPort) || *port > 65535) return std::nullopt;
  return HostPort{std::string(host), static_cast<std::uint16_t>(*port)};
}

Socket& Socket::operator=(Socket&& other) noexcept {
  std::swap(number_, other.number_);
  return *this;
}

Socket::~Socket() {
  close();
}

void Socket::close() {
  if (number_ >= 0) ::close(number_);
  number_ = -1;
}

void prepareConnection(const Socket& socket) {
  setOption(socket, IPPROTO_TCP, TCP_NODELAY, 1);
  setOption(socket, SOL_SOCKET, SO_KEEPALIVE, 1);
  setOption(socket, IPPROTO_TCP, TCP_KEEPIDLE, 10);
  setOption(socket, IPPROTO_TCP, TCP_KEEPINTVL, 5);
  setOption(socket, IPPROTO_TCP, TCP_KEEPCNT, 3);
}

Socket connectTo(const HostPort& to, milliseconds limit, std::string& reason, const std::stop_token& stop) {
  const AddressList list = lookUp(to, 0, reason);
  if (!list) return Socket();
  const auto until = Clock::now() + limit;
  int code = EHOSTUNREACH;
  for (const addrinfo* a = list.get(); a != nullptr; a = a->ai_next) {
    Socket socket(::socket(a->ai_family, a->ai_socktype | SOCK_NONBLOCK | SOCK_CLOEXEC, a->ai_protocol));
    if (!socket) continue;
    code = connectWithin(socket, *a, until, stop);
    if (code != 0) continue;
    prepareConnection(socket);
    return socket;
  }
  reason = systemReason(code);
  return Socket();
}

Socket listenOn(const HostPort& at, std::string& reason) {
  const AddressList list = lookUp(at, AI_PASSIVE, reason);
  if (!list) return Socket();
  Socket socket(::socket(list->ai_family, SOCK_STREAM | SOCK_CLOEXEC, 0));
  setOption(socket, SOL_SOCKET, SO_REUSEADDR, 1);
  if (socket && ::bind(socket.number(), list->ai_addr, list->ai_addrlen) == 0 &&
      ::listen(socket.number(), kWaiting) == 0) {
    return socket;
  }
  reason = systemReason(errno);
  return Socket();
}

std::uint16_t portOf(const Socket& listener) {
  sockaddr_storage name{};
  socklen_t size = sizeof name;
  ::getsockname(listener.number(), reinterpret_cast<sockaddr*>(&name), &size);
  return ntohs(name.ss_family == AF_INET6 ? reinterpret_cast<sockaddr_in6*>(&name)->sin6_port
                                          : reinterpret_cast<sockaddr_in*>(&name)->sin_port);
}

bool hasGone(const Socket& socket) {
  std::uint8_t byte;
  const ssize_t n = ::recv(socket.number(), &byte, 1, MSG_PEEK | MSG_DONTWAIT);
  return n == 0 || (n < 0 && errno != EAGAIN && errno != EWOULDBLOCK && errno != EINTR);
}

bool sendAll(const Socket& socket, ByteSpan bytes, milliseconds limit) {
  const auto until = Clock::now() + limit;
  while (!bytes.empty()) {
    const ssize_t n = ::send(socket.number(), bytes.data(), bytes.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
    if (n > 0) {
      bytes = bytes.subspan(static_cast<std::size_t>(n));
    } else if (n < 0 && (errno == EAGAIN || errno == EWOULDBLOCK)) {
      if (!waitFor(socket, POLLOUT, until)) return false;
    } else if (n == 0 || errno != EINTR) {
      return false;
    }
  }
  return true;
}

bool waitFor(const Socket& socket, short events, Clock::time_point until) {
  for (;;) {
    const auto left = std::chrono::ceil<milliseconds>(until - Clock::now()).count();
    pollfd entry{socket.number(), events, 0};
    const int ready = ::poll(&entry, 1, static_cast<int>(std::max<long>(left, 0)));
    if (ready > 0) return true;
    if (ready == 0) return false;
    if (errno != EINTR) return true;  // the call that follows says what is wrong
  }
}

bool waitFor(const Socket& socket, short events, Clock::time_point until, const std::stop_token& stop) {
  constexpr milliseconds kLook{100};
  while (!stop.stop_requested()) {
    const auto now = Clock::now();
    if (waitFor(socket, events, std::min(until, now + kLook))) return true;
    if (now >= until) return false;
  }
  return false;
}

}  // namespace imprimo
