// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/bench_server.h"

#include <fmt/format.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/eventfd.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <memory>
#include <system_error>

#include "core/base/error.h"

namespace imprimo::sim {
namespace {

/// How long a client may think before a latency is charged (spec: probe over TCP).
constexpr int kIdleMs = 2;

std::int64_t wallNanoseconds() {
  return std::chrono::duration_cast<std::chrono::nanoseconds>(std::chrono::steady_clock::now().time_since_epoch())
      .count();
}

void prepareClient(int socket) {
  const int on = 1;
  ::setsockopt(socket, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
  ::setsockopt(socket, SOL_SOCKET, SO_KEEPALIVE, &on, sizeof on);
}

int openListener(const ServerOptions& options, std::string& reason) {
  addrinfo hints{};
  hints.ai_socktype = SOCK_STREAM;
  hints.ai_flags = AI_PASSIVE;
  addrinfo* list = nullptr;
  if (const int code = ::getaddrinfo(options.host.c_str(), std::to_string(options.port).c_str(), &hints, &list)) {
    reason = ::gai_strerror(code);
    return -1;
  }
  const std::unique_ptr<addrinfo, void (*)(addrinfo*)> owner(list, ::freeaddrinfo);
  const int socket = ::socket(list->ai_family, SOCK_STREAM | SOCK_CLOEXEC, 0);
  const int on = 1;
  ::setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
  if (::bind(socket, list->ai_addr, list->ai_addrlen) == 0 && ::listen(socket, 4) == 0) return socket;
  reason = std::generic_category().message(errno);
  ::close(socket);
  return -1;
}

std::uint16_t portOf(int socket) {
  sockaddr_storage name{};
  socklen_t size = sizeof name;
  ::getsockname(socket, reinterpret_cast<sockaddr*>(&name), &size);
  return ntohs(name.ss_family == AF_INET6 ? reinterpret_cast<sockaddr_in6*>(&name)->sin6_port
                                          : reinterpret_cast<sockaddr_in*>(&name)->sin_port);
}

bool hasGone(int socket) {
  std::uint8_t byte;
  const ssize_t n = ::recv(socket, &byte, 1, MSG_PEEK | MSG_DONTWAIT);
  return n == 0 || (n < 0 && errno != EAGAIN && errno != EWOULDBLOCK && errno != EINTR);
}

bool sendAll(int socket, ByteSpan bytes) {
  while (!bytes.empty()) {
    const ssize_t n = ::send(socket, bytes.data(), bytes.size(), MSG_NOSIGNAL);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    bytes = bytes.subspan(static_cast<std::size_t>(n));
  }
  return true;
}

}  // namespace

BenchServer::BenchServer(Bench& bench, ServerOptions options) : bench_(bench), options_(std::move(options)) {
  std::string reason;
  listener_ = openListener(options_, reason);
  if (listener_ < 0) {
    throw Error(ErrorKind::NoProbe, fmt::format("cannot listen on {}:{}: {}", options_.host, options_.port, reason));
  }
  port_ = portOf(listener_);
  wake_ = ::eventfd(0, EFD_CLOEXEC);
  thread_ = std::thread([this] { serve(); });
}

BenchServer::~BenchServer() {
  const std::uint64_t one = 1;
  [[maybe_unused]] const ssize_t written = ::write(wake_, &one, sizeof one);
  thread_.join();
  ::close(listener_);
  ::close(wake_);
}

void BenchServer::serve() {
  for (;;) {
    pollfd entries[2] = {{listener_, POLLIN, 0}, {wake_, POLLIN, 0}};
    if (::poll(entries, 2, -1) < 0 && errno != EINTR) return;
    if (entries[1].revents != 0) return;
    if (entries[0].revents == 0) continue;
    const int client = ::accept4(listener_, nullptr, nullptr, SOCK_CLOEXEC);
    if (client < 0) continue;
    prepareClient(client);
    talk(client);
    ::close(client);
    {
      const std::lock_guard lock(mutex_);
      bench_.clientLeft();
    }
    if (options_.clientLeft) options_.clientLeft();
  }
}

void BenchServer::talk(int client) {
  Bytes received;
  bool charged = false;
  aheadSince_ = wallNanoseconds();
  with([this](Bench& bench) { virtualStart_ = bench.board().now(); });
  for (;;) {
    pollfd entries[3] = {{client, POLLIN, 0}, {wake_, POLLIN, 0}, {listener_, POLLIN, 0}};
    const int ready = ::poll(entries, 3, charged ? -1 : kIdleMs);
    if (ready < 0 && errno != EINTR) return;
    if (ready == 0) {
      with([](Bench& bench) { bench.board().advance(fromSeconds(bench.probe().latency)); });
      charged = true;
      continue;
    }
    if (entries[1].revents != 0) return;
    if (entries[2].revents != 0) {
      // One client at a time: the second one is shown out at once, unless the first has gone meanwhile.
      if (hasGone(client)) return;
      const int second = ::accept4(listener_, nullptr, nullptr, SOCK_CLOEXEC);
      if (second >= 0) ::close(second);
    }
    if (entries[0].revents == 0) continue;
    std::uint8_t piece[65536];
    const ssize_t n = ::recv(client, piece, sizeof piece, 0);
    if (n <= 0) return;
    charged = false;
    received.insert(received.end(), piece, piece + n);
    std::size_t at = 0;
    while (received.size() - at >= 2) {
      const std::size_t length = loadLe16(received.data() + at);
      if (length == 0 || length > bench_.probe().packetSize) return;
      if (received.size() - at < 2 + length) break;
      if (!answer(client, ByteSpan(received).subspan(at + 2, length))) return;
      at += 2 + length;
    }
    received.erase(received.begin(), received.begin() + static_cast<std::ptrdiff_t>(at));
  }
}

bool BenchServer::answer(int client, ByteSpan packet) {
  const auto responses = with([&](Bench& bench) { return bench.process(packet); });
  if (!responses) return false;
  if (options_.realTime) keepRealTime();
  Bytes frames;
  for (const Bytes& response : *responses) {
    frames.push_back(static_cast<std::uint8_t>(response.size()));
    frames.push_back(static_cast<std::uint8_t>(response.size() >> 8));
    frames.insert(frames.end(), response.begin(), response.end());
  }
  return sendAll(client, frames);
}

void BenchServer::keepRealTime() {
  const Time virtualNow = with([](Bench& bench) { return bench.board().now(); });
  const auto elapsed = static_cast<std::int64_t>((virtualNow - virtualStart_) / 1000);
  const std::int64_t ahead = elapsed - (wallNanoseconds() - aheadSince_);
  if (ahead > 1'000'000) {
    pollfd entry{wake_, POLLIN, 0};
    ::poll(&entry, 1, static_cast<int>(std::min<std::int64_t>(ahead / 1'000'000, 2000)));
  } else if (ahead < -1'000'000'000) {
    // The client was away for a while: count anew from here.
    aheadSince_ = wallNanoseconds();
    virtualStart_ = virtualNow;
  }
}

}  // namespace imprimo::sim
