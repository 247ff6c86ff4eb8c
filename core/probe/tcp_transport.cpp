// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/tcp_transport.h"

#include <fmt/format.h>
#include <poll.h>
#include <sys/socket.h>

#include <cerrno>
#include <system_error>
#include <thread>

#include "core/base/error.h"

namespace imprimo::probe {

using std::chrono::milliseconds;
using Clock = std::chrono::steady_clock;

TcpLink::TcpLink(const HostPort& to, std::string name, milliseconds limit, std::stop_token stop)
    : name_(std::move(name)), stop_(std::move(stop)) {
  std::string reason;
  socket_ = connectTo(to, limit, reason, stop_);
  if (socket_) return;
  if (stop_.stop_requested()) throw Error(ErrorKind::Stopped, "stopped before " + name_ + " answered");
  throw Error(ErrorKind::NoProbe, fmt::format("no probe answers at {}: {}", name_, reason),
              "Is it running, and are host and port right? A simulated bench prints its address when it starts.");
}

void TcpLink::lost(const std::string& how) const {
  throw Error(ErrorKind::LinkLost, fmt::format("lost the probe at {}: {}", name_, how),
              "Check the cable or the network, and that nobody else uses the probe; then connect again.");
}

void TcpLink::closed() const {
  if (heard_) lost("the other side closed the connection");
  throw Error(ErrorKind::NoProbe, fmt::format("the probe at {} is in use by another program; try again later", name_),
              "It serves one at a time.");
}

void TcpLink::send(ByteSpan bytes) {
  if (sendAll(socket_, bytes)) return;
  if (hasGone(socket_)) closed();
  lost("it takes no more data");
}

void TcpLink::need(std::size_t count, const Patience& patience) {
  constexpr milliseconds kAfterStop{700};
  Clock::time_point until = patience.begun + patience.limit;
  bool hurried = false;
  while (received_.size() - taken_ < count) {
    if (!hurried && !waitFor(socket_, POLLIN, until, stop_) && stop_.stop_requested()) {
      hurried = true;
      until =
          std::min(until, Clock::now() + kAfterStop + std::max(milliseconds(0), patience.limit - patience.forNothing));
    }
    if (!waitFor(socket_, POLLIN, until))
      lost(hurried ? "no answer any more after the stop"
                   : fmt::format("no answer within {} ms", patience.limit.count()));
    std::uint8_t piece[16384];
    const ssize_t n = ::recv(socket_.number(), piece, sizeof piece, 0);
    if (n == 0 || (n < 0 && errno == ECONNRESET)) {
      closed();
    }
    if (n < 0) {
      if (errno == EINTR || errno == EAGAIN || errno == EWOULDBLOCK) continue;
      lost(std::generic_category().message(errno));
    }
    heard_ = true;
    if (taken_ > 0) {
      received_.erase(received_.begin(), received_.begin() + static_cast<std::ptrdiff_t>(taken_));
      taken_ = 0;
    }
    received_.insert(received_.end(), piece, piece + n);
  }
}

Bytes TcpLink::take(std::size_t count) {
  const ByteSpan front = received().first(count);
  Bytes bytes(front.begin(), front.end());
  taken_ += count;
  if (taken_ == received_.size()) {
    received_.clear();
    taken_ = 0;
  }
  return bytes;
}

void TcpTransport::send(ByteSpan request) {
  Bytes frame{static_cast<std::uint8_t>(request.size()), static_cast<std::uint8_t>(request.size() >> 8)};
  frame.insert(frame.end(), request.begin(), request.end());
  link_.send(frame);
}

Bytes TcpTransport::receive(milliseconds limit) {
  const TcpLink::Patience patience{Clock::now(), limit, kPatience};
  link_.need(2, patience);
  const std::size_t length = loadLe16(link_.received().data());
  if (length == 0) link_.lost("it sent an empty frame");
  if (length > packetSize_)
    link_.lost(fmt::format("it sent a frame of {} bytes, and its packets have at most {}", length, packetSize_));
  link_.need(2 + length, patience);
  link_.take(2);
  return link_.take(length);
}

Bytes TcpStream::read(std::size_t count, milliseconds limit) {
  link_.need(count, {Clock::now(), limit, kStreamPatience});
  return link_.take(count);
}

void TcpStream::wait(std::chrono::microseconds time) {
  std::this_thread::sleep_for(time);
}

}  // namespace imprimo::probe
