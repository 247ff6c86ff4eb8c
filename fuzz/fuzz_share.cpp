// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a client sends to whoever shares a probe: any bytes, with and without a token. Nobody keeps the place with them.
#include <poll.h>
#include <sys/socket.h>

#include <cstdint>
#include <memory>
#include <thread>

#include "core/probe/share_server.h"

namespace {

using namespace imprimo;

/// Answers every packet with its first byte.
class Echo : public probe::SharedProbe {
 public:
  std::size_t packetSize() const override { return 512; }
  std::size_t packetCount() const override { return 4; }
  std::vector<Bytes> process(const std::vector<Bytes>& packets) override {
    std::vector<Bytes> responses;
    for (const Bytes& packet : packets) responses.push_back({packet.at(0)});
    return responses;
  }
  void clientLeft() override {}
};

struct Serving {
  explicit Serving(std::optional<std::string> token) : server(echo, {{"127.0.0.1", 0}, std::move(token)}) {
    thread = std::jthread([this](std::stop_token stop) { server.serve(std::move(stop), [](const std::string&) {}); });
  }
  Echo echo;
  probe::ShareServer server;
  std::jthread thread;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static Serving open{std::nullopt}, locked{"a token"};
  for (Serving* serving : {&open, &locked}) {
    std::string reason;
    const Socket socket = connectTo(serving->server.listening(), std::chrono::seconds(5), reason);
    if (!socket || !sendAll(socket, {data, size})) continue;
    ::shutdown(socket.number(), SHUT_WR);
    // It is read to its end, and the place is free again for the next one.
    std::uint8_t piece[4096];
    while (waitFor(socket, POLLIN, std::chrono::steady_clock::now() + std::chrono::seconds(3))) {
      if (::recv(socket.number(), piece, sizeof piece, 0) <= 0) break;
    }
  }
  return 0;
}
