// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/bench_server.h"

#include <fmt/format.h>
#include <poll.h>
#include <sys/eventfd.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>

#include "core/base/error.h"

namespace imprimo::sim {
namespace {

/// How long a client may think before a latency is charged (spec: probe over TCP).
constexpr int kIdleMs = 2;
constexpr int kLookMs = 200;
constexpr std::int64_t kMostSilence = 5'000'000'000;

std::int64_t wallNanoseconds() {
  return std::chrono::duration_cast<std::chrono::nanoseconds>(std::chrono::steady_clock::now().time_since_epoch())
      .count();
}

}  // namespace

BenchServer::BenchServer(Bench& bench, ServerOptions options) : bench_(bench), options_(std::move(options)) {
  std::string reason;
  listener_ = listenOn({options_.host, options_.port}, reason);
  if (!listener_) {
    throw Error(ErrorKind::NoProbe, fmt::format("cannot listen on {}:{}: {}", options_.host, options_.port, reason));
  }
  port_ = portOf(listener_);
  wake_ = ::eventfd(0, EFD_CLOEXEC);
  bench_.tellTime(!options_.realTime);
  thread_ = std::thread([this] { serve(); });
}

BenchServer::~BenchServer() {
  const std::uint64_t one = 1;
  [[maybe_unused]] const ssize_t written = ::write(wake_, &one, sizeof one);
  thread_.join();
  ::close(wake_);
}

void BenchServer::serve() {
  for (;;) {
    pollfd entries[2] = {{listener_.number(), POLLIN, 0}, {wake_, POLLIN, 0}};
    if (::poll(entries, 2, -1) < 0 && errno != EINTR) return;
    if (entries[1].revents != 0) return;
    if (entries[0].revents == 0) continue;
    Socket client(::accept4(listener_.number(), nullptr, nullptr, SOCK_CLOEXEC));
    if (!client) continue;
    prepareConnection(client);
    talk(client);
    client.close();
    {
      const std::lock_guard lock(mutex_);
      bench_.clientLeft();
    }
    if (options_.clientLeft) options_.clientLeft();
  }
}

void BenchServer::talk(const Socket& client) {
  Bytes received;
  bool charged = false, spoke = false;
  std::int64_t since = wallNanoseconds();  // it came, or the frame began that is unfinished
  aheadSince_ = lastStream_ = wallNanoseconds();
  with([this](Bench& bench) { virtualStart_ = bench.board().now(); });
  for (;;) {
    pollfd entries[3] = {{client.number(), POLLIN, 0}, {wake_, POLLIN, 0}, {listener_.number(), POLLIN, 0}};
    const bool owes = !spoke || !received.empty();
    const int ready = ::poll(entries, 3, !charged ? kIdleMs : owes ? kLookMs : -1);
    if (ready < 0 && errno != EINTR) return;
    // Whoever takes the only place has to say something whole; between two frames anybody may be silent.
    if (owes && wallNanoseconds() - since > kMostSilence) return;
    if (ready == 0 && charged) continue;
    if (ready == 0) {
      if (!options_.mpsse) with([](Bench& bench) { bench.board().advance(fromSeconds(bench.probe().latency)); });
      charged = true;
      continue;
    }
    if (entries[1].revents != 0) return;
    if (entries[2].revents != 0) {
      // One client at a time: the second one is shown out at once, unless the first has gone meanwhile.
      if (hasGone(client)) return;
      const Socket second(::accept4(listener_.number(), nullptr, nullptr, SOCK_CLOEXEC));
    }
    if (entries[0].revents == 0) continue;
    std::uint8_t piece[65536];
    const ssize_t n = ::recv(client.number(), piece, sizeof piece, 0);
    if (n <= 0) return;
    charged = false;
    if (received.empty() && spoke) since = wallNanoseconds();
    received.insert(received.end(), piece, piece + n);
    const std::size_t had = received.size();
    if (!(options_.mpsse ? stream(client, received) : frames(client, received))) return;
    if (received.size() < had) {
      spoke = true;
      since = wallNanoseconds();
    }
  }
}

bool BenchServer::frames(const Socket& client, Bytes& received) {
  std::size_t at = 0;
  while (received.size() - at >= 2) {
    const std::size_t length = loadLe16(received.data() + at);
    if (length == 0 || length > bench_.probe().packetSize) return false;
    if (received.size() - at < 2 + length) break;
    if (!answer(client, ByteSpan(received).subspan(at + 2, length))) return false;
    at += 2 + length;
  }
  received.erase(received.begin(), received.begin() + static_cast<std::ptrdiff_t>(at));
  return true;
}

bool BenchServer::stream(const Socket& client, Bytes& received) {
  const auto said = with([&](Bench& bench) {
    // The engine knows no waiting: its host waits by the clock on the wall, and that has to pass here too.
    const std::int64_t now = wallNanoseconds();
    // Where clocks take their real time, they have passed part of it.
    if (options_.realTime) {
      bench.board().advance(behind(bench));
    } else {
      bench.board().wait(static_cast<Time>(std::max<std::int64_t>(now - lastStream_, 0)) * 1000);
    }
    lastStream_ = now;
    return bench.stream(received);
  });
  received.clear();
  if (!said) return false;
  if (options_.realTime && !keepRealTime(client)) return false;
  return sendAll(client, *said);
}

bool BenchServer::answer(const Socket& client, ByteSpan packet) {
  if (options_.beforePacket) options_.beforePacket(with([](Bench& bench) { return bench.packets(); }));
  const auto responses = with([&](Bench& bench) {
    // What the host has waited has passed on the board as well.
    if (options_.realTime) bench.board().advance(behind(bench));
    const std::int64_t began = wallNanoseconds();
    auto all = bench.process(packet);
    forgive(bench, began);
    return all;
  });
  if (!responses) return false;
  if (options_.realTime && !keepRealTime(client)) return false;
  Bytes frames;
  for (const Bytes& response : *responses) {
    frames.push_back(static_cast<std::uint8_t>(response.size()));
    frames.push_back(static_cast<std::uint8_t>(response.size() >> 8));
    frames.insert(frames.end(), response.begin(), response.end());
  }
  return sendAll(client, frames);
}

/// How far the bench's clock is behind that on the wall.
Time BenchServer::behind(Bench& bench) const {
  const std::int64_t wall = wallNanoseconds() - aheadSince_;
  const auto here = static_cast<std::int64_t>((bench.board().now() - virtualStart_) / 1000);
  return static_cast<Time>(std::max<std::int64_t>(wall - here, 0)) * 1000;
}

/// Where this computer does not simulate a core as fast as it runs, the board is slower than it should be: the time
/// that a packet's work took is not made up for, or each would have more to make up for than the one before.
void BenchServer::forgive(Bench& bench, std::int64_t began) {
  constexpr std::int64_t kUsual = 20'000'000;
  const std::int64_t took = wallNanoseconds() - began;
  if (options_.realTime && took > kUsual)
    aheadSince_ += std::min(took, static_cast<std::int64_t>(behind(bench) / 1000));
}

/// Waits until the clock on the wall has caught up. False when nobody is there any more to wait for it.
bool BenchServer::keepRealTime(const Socket& client) {
  const Time virtualNow = with([](Bench& bench) { return bench.board().now(); });
  const auto elapsed = static_cast<std::int64_t>((virtualNow - virtualStart_) / 1000);
  const auto ahead = [&] { return elapsed - (wallNanoseconds() - aheadSince_); };
  if (ahead() < -1'000'000'000) {
    // The client was away for a while: count anew from here.
    aheadSince_ = wallNanoseconds();
    virtualStart_ = virtualNow;
  }
  while (ahead() > 1'000'000) {
    pollfd entry{wake_, POLLIN, 0};
    const auto piece = std::min<std::int64_t>(ahead() / 1'000'000, kLookMs);
    if (::poll(&entry, 1, static_cast<int>(piece)) > 0) return false;
    if (!hasGone(client)) continue;
    if (options_.mpsse) {
      with([&](Bench& bench) {
        bench.board().violations().add(
            fmt::format("adapter: closed with {:.1f} ms of clocks still queued", static_cast<double>(ahead()) * 1e-6));
      });
    }
    return false;
  }
  return true;
}

}  // namespace imprimo::sim
