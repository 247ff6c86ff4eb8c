// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <mutex>
#include <string>
#include <thread>

#include "core/base/socket.h"
#include "sim/bench.h"

namespace imprimo::sim {

struct ServerOptions {
  std::string host = "127.0.0.1";
  std::uint16_t port = 0;              ///< 0: a free one
  bool realTime = false;               ///< answers come when a real bench's would, not as fast as this computer can
  bool mpsse = false;                  ///< the plain byte stream of an MPSSE adapter instead of probe-over-tcp
  std::function<void()> clientLeft{};  ///< called on the server's thread
  /// Called on the server's thread before a packet is worked on, with its number since the bench began.
  std::function<void(std::uint64_t)> beforePacket{};
};

/// Serves a bench as probe-over-tcp, or its MPSSE adapter's stream, one client at a time, on a thread of its own.
class BenchServer {
 public:
  /// Listens at once. Throws Error(NoProbe) with the system's reason when it cannot.
  BenchServer(Bench& bench, ServerOptions options);
  BenchServer(const BenchServer&) = delete;
  BenchServer& operator=(const BenchServer&) = delete;
  ~BenchServer();

  std::uint16_t port() const { return port_; }
  std::string address() const {
    return (options_.mpsse ? "mpsse-tcp:" : "tcp:") + HostPort{options_.host, port_}.text();
  }

  /// Does something with the bench while no packet is being worked on.
  template <typename Do>
  auto with(Do&& act) {
    const std::lock_guard lock(mutex_);
    return act(bench_);
  }

 private:
  void serve();
  void talk(const Socket& client);
  bool frames(const Socket& client, Bytes& received);
  bool stream(const Socket& client, Bytes& received);
  bool answer(const Socket& client, ByteSpan packet);
  Time behind(Bench& bench) const;
  void forgive(Bench& bench, std::int64_t began);
  bool keepRealTime(const Socket& client);

  Bench& bench_;
  ServerOptions options_;
  std::mutex mutex_;
  Socket listener_;
  int wake_ = -1;
  std::uint16_t port_ = 0;
  std::int64_t aheadSince_ = 0, lastStream_ = 0;
  Time virtualStart_ = 0;
  std::thread thread_;  // last: it uses all of the above
};

}  // namespace imprimo::sim
