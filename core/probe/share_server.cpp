// SPDX-License-Identifier: GPL-3.0-or-later
//
// The other side of the wire: probe over TCP.
#include "core/probe/share_server.h"

#include <fmt/format.h>
#include <poll.h>
#include <sodium.h>
#include <sys/socket.h>

#include <algorithm>
#include <utility>

#include "core/base/error.h"
#include "core/probe/dap/dap_commands.h"
#include "core/probe/dap/dap_responder.h"
#include "core/probe/token.h"

namespace imprimo::probe {
namespace {

using std::chrono::milliseconds;
using Clock = std::chrono::steady_clock;

constexpr milliseconds kPoll{100};
constexpr std::size_t kSmallPacket = 64;  // until the token was proved
constexpr std::uint8_t kAskNonce = 0x80, kProveToken = 0x81, kUnknown = 0xFF, kTransferAbort = 0x07, kQueue = 0x7E;

class Relay : public SharedProbe {
 public:
  explicit Relay(std::unique_ptr<Transport> transport) : transport_(std::move(transport)) {
    const Bytes size = ask({0x00, 0xFF}), count = ask({0x00, 0xFE});
    if (size.size() >= 4 && size[1] == 2) size_ = std::clamp<std::size_t>(loadLe16(&size[2]), 64, 4096);
    transport_->setPacketSize(size_);
    if (count.size() >= 3 && count[1] == 1) count_ = std::clamp<std::size_t>(count[2], 1, 16);
  }
  std::size_t packetSize() const override { return size_; }
  std::size_t packetCount() const override { return count_; }

  std::vector<Bytes> process(const std::vector<Bytes>& packets) override {
    // All go out before the first answer is taken, so that the probe is kept busy.
    std::vector<Answer> answers;
    for (const Bytes& packet : packets) {
      const bool served = isServed(packet);
      if (packet[0] == kQueue) {
        if (served) transport_->send(packet);
        queued_.push_back(served ? Answer::Probes : Answer::Unknown);
        continue;
      }
      if (served) {
        transport_->send(packet);
      } else if (std::find(queued_.begin(), queued_.end(), Answer::Probes) != queued_.end()) {
        // What is queued in the probe comes with the next packet; that is one of our own, which nobody asked for.
        transport_->send(kAnything);
        queued_.push_back(Answer::Dropped);
      }
      if (packet[0] == kTransferAbort) continue;
      // Those queued in the probe are answered together, in order.
      answers.insert(answers.end(), queued_.begin(), queued_.end());
      queued_.clear();
      answers.push_back(served ? Answer::Probes : Answer::Unknown);
    }
    std::vector<Bytes> responses;
    for (const Answer answer : answers) {
      if (answer == Answer::Unknown) {
        responses.push_back({kUnknown});
        continue;
      }
      Bytes response = transport_->receive(std::chrono::seconds(30));
      if (answer == Answer::Probes) responses.push_back(std::move(response));
    }
    return responses;
  }
  void clientLeft() override {
    if (!queued_.empty()) process({kAnything});  // what was queued is answered to nobody
    ask({0x03});
  }

 private:
  Bytes ask(const Bytes& packet) {
    transport_->send(packet);
    return transport_->receive(std::chrono::seconds(5));
  }
  std::unique_ptr<Transport> transport_;
  enum class Answer { Probes, Unknown, Dropped };
  static inline const Bytes kAnything{0x00, 0xFF};
  std::size_t size_ = 64, count_ = 1;
  std::vector<Answer> queued_;
};

class Translated : public SharedProbe {
 public:
  explicit Translated(std::unique_ptr<Probe> probe) : probe_(std::move(probe)), responder_(*probe_) {}
  std::size_t packetSize() const override { return DapResponder::kPacketSize; }
  std::size_t packetCount() const override { return DapResponder::kPacketCount; }
  std::vector<Bytes> process(const std::vector<Bytes>& packets) override {
    std::vector<Bytes> all;
    for (const Bytes& packet : packets) {
      for (Bytes& response : responder_.process(packet)) all.push_back(std::move(response));
    }
    return all;
  }
  void clientLeft() override { responder_.disconnect(); }

 private:
  std::unique_ptr<Probe> probe_;
  DapResponder responder_;
};

bool reply(const Socket& socket, const std::vector<Bytes>& responses) {
  Bytes frames;
  for (const Bytes& r : responses) {
    frames.push_back(static_cast<std::uint8_t>(r.size()));
    frames.push_back(static_cast<std::uint8_t>(r.size() >> 8));
    frames.insert(frames.end(), r.begin(), r.end());
  }
  return frames.empty() || sendAll(socket, frames);
}

}  // namespace

struct ShareServer::Client {
  Bytes received;
  bool trusted = false;
  bool spoke = false;                      // a whole frame has come
  bool wrong = false;                      // its token was
  Clock::time_point since = Clock::now();  // it came, or the frame began that is unfinished
  /// It has neither done what has to be done first nor is it between two frames.
  bool isLate() const {
    return (!trusted || !spoke || !received.empty()) && Clock::now() - since > ShareServer::kGreeting;
  }
  std::optional<Bytes> nonce;
};

std::unique_ptr<SharedProbe> shareTransport(std::unique_ptr<Transport> transport) {
  return std::make_unique<Relay>(std::move(transport));
}

std::unique_ptr<SharedProbe> shareProbe(std::unique_ptr<Probe> probe) {
  return std::make_unique<Translated>(std::move(probe));
}

ShareServer::ShareServer(SharedProbe& probe, ShareOptions options) : probe_(probe), options_(std::move(options)) {
  if (options_.token && options_.token->empty()) {
    throw Error(ErrorKind::Usage, "the token is empty", "Put a line that nobody guesses into the token file.");
  }
  if (!options_.token && !options_.listen.isLoopback()) {
    throw Error(ErrorKind::Usage,
                fmt::format("other computers reach {}, so a token is needed there", options_.listen.text()),
                "Give one, or listen on 127.0.0.1.")
        .setHelp(Help::GiveToken);
  }
  std::string reason;
  listener_ = listenOn(options_.listen, reason);
  if (!listener_)
    throw Error(ErrorKind::NoProbe, fmt::format("cannot listen on {}: {}", options_.listen.text(), reason));
}

void ShareServer::serve(const std::stop_token& stop, const std::function<void(const std::string&)>& told) {
  while (!stop.stop_requested()) {
    letGo();
    if (!waitFor(listener_, POLLIN, Clock::now() + kPoll)) continue;
    Socket socket(::accept4(listener_.number(), nullptr, nullptr, SOCK_CLOEXEC));
    if (!socket) continue;
    prepareConnection(socket);
    told("a client has come");
    Client client;
    client.trusted = !options_.token;
    talk(socket, client, stop, told);
    if (client.trusted && client.spoke) probe_.clientLeft();
    if (client.wrong) wrong_.emplace_back(std::move(socket), Clock::now() + std::chrono::seconds(1));
    told("the client has gone");
  }
}

void ShareServer::showOut() {
  const Socket second(::accept4(listener_.number(), nullptr, nullptr, SOCK_CLOEXEC));
}

void ShareServer::letGo() {
  constexpr std::size_t kMost = 64;  // whoever comes with more of them does not get the second
  while (!wrong_.empty() && (wrong_.size() > kMost || wrong_.front().second <= Clock::now())) wrong_.pop_front();
}

void ShareServer::talk(const Socket& socket, Client& client, const std::stop_token& stop,
                       const std::function<void(const std::string&)>& told) {
  while (!stop.stop_requested()) {
    letGo();
    pollfd entries[2] = {{socket.number(), POLLIN, 0}, {listener_.number(), POLLIN, 0}};
    const int ready = ::poll(entries, 2, static_cast<int>(kPoll.count()));
    if (client.isLate()) return told("a client that says nothing whole was put out");
    if (ready <= 0) continue;
    if (entries[1].revents != 0) {
      // One client at a time, but one whose predecessor has just gone is let in.
      if (hasGone(socket)) return;
      showOut();
      told("a second client was sent away");
    }
    if (entries[0].revents == 0) continue;
    std::uint8_t piece[16384];
    const ssize_t n = ::recv(socket.number(), piece, sizeof piece, 0);
    if (n <= 0) return;
    const bool between = client.received.empty();
    const std::size_t had = client.received.size() + static_cast<std::size_t>(n);
    client.received.insert(client.received.end(), piece, piece + n);
    if (!work(socket, client)) return;
    const bool tookFrame = client.received.size() < had;
    if ((between || tookFrame) && client.trusted && client.spoke) client.since = Clock::now();
  }
}

bool ShareServer::carryOut(const Socket& socket, std::vector<Bytes>& packets) {
  if (packets.empty()) return true;
  const auto asked = std::exchange(packets, {});
  try {
    return reply(socket, probe_.process(asked));
  } catch (const Error&) {
    // Nobody waits in vain: what cannot be done any more is not done.
    std::vector<Bytes> refused;
    for (const Bytes& packet : asked) {
      if (packet[0] != kTransferAbort && packet[0] != kQueue) refused.push_back({kUnknown});
    }
    reply(socket, refused);
    throw;
  }
}

bool ShareServer::work(const Socket& socket, Client& client) {
  Bytes& received = client.received;
  std::size_t at = 0;
  bool good = true;
  std::vector<Bytes> packets;
  while (good && received.size() - at >= 2) {
    const std::size_t length = loadLe16(received.data() + at);
    if (length == 0 || length > (client.trusted ? probe_.packetSize() : kSmallPacket)) return false;
    if (received.size() - at < 2 + length) break;
    const ByteSpan packet = ByteSpan(received).subspan(at + 2, length);
    at += 2 + length;
    client.spoke = true;
    if (!client.trusted) {
      good = beforeToken(socket, client, packet);
      continue;
    }
    packets.emplace_back(packet.begin(), packet.end());
    if (packets.size() == probe_.packetCount()) good = carryOut(socket, packets);
  }
  received.erase(received.begin(), received.begin() + static_cast<std::ptrdiff_t>(at));
  return good && carryOut(socket, packets);
}

bool ShareServer::beforeToken(const Socket& socket, Client& client, ByteSpan packet) {
  if (packet[0] == kTransferAbort || packet[0] == kQueue) return true;  // have no response of their own
  if (packet[0] == kAskNonce && packet.size() == 1) {
    if (::sodium_init() < 0) return false;
    client.nonce.emplace(32);
    ::randombytes_buf(client.nonce->data(), client.nonce->size());
    Bytes response{kAskNonce};
    response.insert(response.end(), client.nonce->begin(), client.nonce->end());
    return reply(socket, {response});
  }
  if (packet[0] == kProveToken && client.nonce) {
    const Bytes right = tokenProof(*options_.token, *client.nonce);
    client.nonce.reset();  // serves once
    if (packet.size() == 1 + right.size() && ::sodium_memcmp(right.data(), packet.data() + 1, right.size()) == 0) {
      client.trusted = true;
      return reply(socket, {{kProveToken, 0x00}});
    }
    client.wrong = true;  // closed after a second, and nobody else waits for that
    return false;
  }
  return reply(socket, {{kUnknown}});
}

}  // namespace imprimo::probe
