// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/socket.h"
#include "core/probe/byte_stream.h"
#include "core/probe/transport.h"

namespace imprimo::probe {

/// One TCP connection to something that behaves like a probe's cable: bytes in order, and lost when it closes.
class TcpLink {
 public:
  /// Throws NoProbe when nobody answers within `limit`. `name` is for messages. After a stop an answer that does not
  /// come is no longer waited for with patience: whoever stops something in order gets his answers at once.
  TcpLink(const HostPort& to, std::string name, std::chrono::milliseconds limit, std::stop_token stop);

  void send(ByteSpan bytes);
  /// How long an answer as a whole may take: `limit` from `begun` on, of which `forNothing` is mere patience.
  struct Patience {
    std::chrono::steady_clock::time_point begun;
    std::chrono::milliseconds limit, forNothing;
  };
  /// Until at least `count` bytes are there; they stay until taken. Throws LinkLost when they do not come, and NoProbe
  /// when the other side closes before it ever said anything.
  void need(std::size_t count, const Patience& patience);
  ByteSpan received() const { return ByteSpan(received_).subspan(taken_); }
  Bytes take(std::size_t count);
  const std::string& name() const { return name_; }
  [[noreturn]] void lost(const std::string& how) const;

 private:
  [[noreturn]] void closed() const;

  std::string name_;
  Socket socket_;
  std::stop_token stop_;
  bool heard_ = false;     // it has said something
  Bytes received_;         // not yet taken
  std::size_t taken_ = 0;  // bytes at the front of received_ that are
};

/// CMSIS-DAP packets over one TCP connection, each behind its length in two bytes, low byte first.
class TcpTransport : public Transport {
 public:
  TcpTransport(const HostPort& to, std::string name, std::chrono::milliseconds limit, std::stop_token stop)
      : link_(to, std::move(name), limit, std::move(stop)) {}
  void setPacketSize(std::size_t bytes) override { packetSize_ = bytes; }
  void send(ByteSpan request) override;
  Bytes receive(std::chrono::milliseconds limit) override;
  LinkTime linkTime() const override { return LinkTime::Ask; }
  std::string name() const override { return link_.name(); }

 private:
  TcpLink link_;
  std::size_t packetSize_ = 4096;  // the largest that the protocol has, until the probe tells
};

/// An adapter's byte stream as it is.
class TcpStream : public ByteStream {
 public:
  TcpStream(const HostPort& to, std::string name, std::chrono::milliseconds limit, std::stop_token stop)
      : link_(to, std::move(name), limit, std::move(stop)) {}
  void write(ByteSpan bytes) override { link_.send(bytes); }
  Bytes read(std::size_t count, std::chrono::milliseconds limit) override;
  void wait(std::chrono::microseconds time) override;
  std::string name() const override { return link_.name(); }

 private:
  TcpLink link_;
};

}  // namespace imprimo::probe
