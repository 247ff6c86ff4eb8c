// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>

#include "core/base/socket.h"
#include "core/probe/probe.h"
#include "core/probe/transport.h"

namespace imprimo::probe {

/// A probe as its packets see it.
class SharedProbe {
 public:
  virtual ~SharedProbe() = default;
  virtual std::size_t packetSize() const = 0;
  virtual std::size_t packetCount() const = 0;
  /// Up to packetCount() packets in, the responses that are due out. Throws LinkLost.
  virtual std::vector<Bytes> process(const std::vector<Bytes>& packets) = 0;
  /// A client has gone.
  virtual void clientLeft() = 0;
};

/// Hands packets on to a CMSIS-DAP probe as they are; commands that a server need not know are answered 0xFF here.
std::unique_ptr<SharedProbe> shareTransport(std::unique_ptr<Transport> transport);
/// Any other probe.
std::unique_ptr<SharedProbe> shareProbe(std::unique_ptr<Probe> probe);

struct ShareOptions {
  HostPort listen{"127.0.0.1", 0};
  std::optional<std::string> token;
};

/// Serves a probe as probe-over-tcp (one client at a time), with a token if one is given. Whoever has not proved it
/// within kGreeting, says nothing at all for so long, or leaves a frame unfinished for so long, is put out; one that is
/// idle between frames stays.
class ShareServer {
 public:
  static constexpr std::chrono::seconds kGreeting{5};
  /// Listens at once. Throws Usage for an address that is not loopback without a token (other computers reach it),
  /// NoProbe with the system's reason when it cannot listen.
  ShareServer(SharedProbe& probe, ShareOptions options);
  HostPort listening() const { return {options_.listen.host, portOf(listener_)}; }
  /// Until `stop`. `told` hears who comes and goes, in words that never hold the token. Throws LinkLost when the probe
  /// itself has gone; its client has heard 0xFF then.
  void serve(const std::stop_token& stop, const std::function<void(const std::string&)>& told);

 private:
  struct Client;
  void talk(const Socket& socket, Client& client, const std::stop_token& stop,
            const std::function<void(const std::string&)>& told);
  bool carryOut(const Socket& socket, std::vector<Bytes>& packets);
  bool work(const Socket& socket, Client& client);
  bool beforeToken(const Socket& socket, Client& client, ByteSpan packet);
  void showOut();
  void letGo();

  SharedProbe& probe_;
  ShareOptions options_;
  Socket listener_;
  /// Those whose token was wrong, and when they are closed.
  std::deque<std::pair<Socket, std::chrono::steady_clock::time_point>> wrong_;
};

}  // namespace imprimo::probe
