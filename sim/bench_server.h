// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <mutex>
#include <string>
#include <thread>

#include "sim/bench.h"

namespace imprimo::sim {

struct ServerOptions {
  std::string host = "127.0.0.1";
  std::uint16_t port = 0;            ///< 0: a free one
  bool realTime = false;             ///< answers come when a real bench's would, not as fast as this computer can
  std::function<void()> clientLeft;  ///< called on the server's thread
};

/// Serves a bench as probe-over-tcp, one client at a time, on a thread of its own.
class BenchServer {
 public:
  /// Listens at once. Throws Error(NoProbe) with the system's reason when it cannot.
  BenchServer(Bench& bench, ServerOptions options);
  BenchServer(const BenchServer&) = delete;
  BenchServer& operator=(const BenchServer&) = delete;
  ~BenchServer();

  std::uint16_t port() const { return port_; }
  std::string address() const { return "tcp:" + options_.host + ":" + std::to_string(port_); }

  /// Does something with the bench while no packet is being worked on.
  template <typename Do>
  auto with(Do&& act) {
    const std::lock_guard lock(mutex_);
    return act(bench_);
  }

 private:
  void serve();
  void talk(int client);
  bool answer(int client, ByteSpan packet);
  void keepRealTime();

  Bench& bench_;
  ServerOptions options_;
  std::mutex mutex_;
  int listener_ = -1;
  int wake_ = -1;
  std::uint16_t port_ = 0;
  std::int64_t aheadSince_ = 0;
  Time virtualStart_ = 0;
  std::thread thread_;  // last: it uses all of the above
};

}  // namespace imprimo::sim
