// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <stop_token>
#include <string>

#include "core/base/bytes.h"

namespace imprimo {

/// A place in a network; an IPv6 host is written in brackets.
struct HostPort {
  std::string host;
  std::uint16_t port = 0;
  std::string text() const;
  /// Only this computer reaches it.
  bool isLoopback() const;
};

/// "HOST:PORT" or "[HOST]:PORT"; port 0 only where `anyPort`. Nothing for anything else.
std::optional<HostPort> parseHostPort(std::string_view text, bool anyPort = false);

/// Owns a socket's number.
class Socket {
 public:
  explicit Socket(int number = -1) : number_(number) {}
  Socket(Socket&& other) noexcept : number_(other.number_) { other.number_ = -1; }
  Socket& operator=(Socket&& other) noexcept;
  ~Socket();

  int number() const { return number_; }
  explicit operator bool() const { return number_ >= 0; }
  void close();

 private:
  int number_;
};

/// No delay for small frames, and a dead peer is noticed within half a minute.
void prepareConnection(const Socket& socket);

/// An empty Socket and the reason when nobody answers within `limit`, or a stop is asked for.
Socket connectTo(const HostPort& to, std::chrono::milliseconds limit, std::string& reason,
                 const std::stop_token& stop = {});
/// An empty Socket and the reason when it cannot listen there.
Socket listenOn(const HostPort& at, std::string& reason);
std::uint16_t portOf(const Socket& listener);

/// The peer has closed the connection; what it sent before may still be unread.
bool hasGone(const Socket& socket);
/// False when the peer has gone, or takes nothing for `limit`.
bool sendAll(const Socket& socket, ByteSpan bytes, std::chrono::milliseconds limit = std::chrono::seconds(10));

/// Waits until the socket can do `events` (POLLIN, POLLOUT); false when the time is over.
bool waitFor(const Socket& socket, short events, std::chrono::steady_clock::time_point until);
/// The same; false also when a stop is asked for, at most 100 ms later.
bool waitFor(const Socket& socket, short events, std::chrono::steady_clock::time_point until,
             const std::stop_token& stop);

}  // namespace imprimo
