// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/error.h"
#include "core/probe/byte_stream.h"
#include "core/probe/probe.h"
#include "core/probe/transport.h"
#include "sim/in_process_link.h"
#include "sim/in_process_stream.h"

namespace imprimo::test {

inline probe::ProbeOptions atClock(std::uint32_t hz) {
  probe::ProbeOptions options;
  options.clockHz = hz;
  return options;
}

/// A transport to a bench in this process, where virtual time is exact.
class LoopTransport : public probe::Transport {
 public:
  explicit LoopTransport(sim::Bench& bench) : link_(bench) {}

  void send(ByteSpan request) override {
    if (down_ || !link_.send(request)) lost();
  }
  Bytes receive(std::chrono::milliseconds) override {
    auto answer = link_.receive();
    if (!answer) lost();
    return std::move(*answer);
  }
  std::string name() const override { return "loop"; }
  probe::LinkTime linkTime() const override { return time; }
  std::chrono::nanoseconds now() const override { return std::chrono::nanoseconds(link_.hostTime() / 1000); }
  void sleep(std::chrono::nanoseconds t) override { link_.wait(static_cast<sim::Time>(t.count()) * 1000); }
  const sim::InProcessLink& link() const { return link_; }

  probe::LinkTime time = probe::LinkTime::Counted;  ///< Host: waits are measured, by the virtual host's clock

 private:
  [[noreturn]] void lost() {
    down_ = true;
    throw Error(ErrorKind::LinkLost, "lost the probe at loop: the link is down");
  }
  sim::InProcessLink link_;
  bool down_ = false;
};

/// The stream of an MPSSE adapter on a bench in this process. Counts what is asked and what is waited for.
class LoopStream : public probe::ByteStream {
 public:
  explicit LoopStream(sim::Bench& bench) : bench_(bench), cable_(bench) {}

  void write(ByteSpan bytes) override {
    ++writes;
    written += bytes.size();
    if (down_) lost("the link is down");
    switch (cable_.write(bytes, 10'000'000 * sim::kMicrosecond)) {
      case sim::InProcessStream::End::Down:
        lost("the link is down");
      case sim::InProcessStream::End::TimedOut:
        lost("it takes no more data");
      case sim::InProcessStream::End::Done:
        mostUnread = std::max(mostUnread, bench_.mpsse().answers());
    }
  }
  Bytes read(std::size_t count, std::chrono::milliseconds limit) override {
    ++reads;
    Bytes bytes;
    const auto most = static_cast<sim::Time>(limit.count()) * 1000 * sim::kMicrosecond;
    if (cable_.read(count, most, bytes) != sim::InProcessStream::End::Done) lost("no answer");
    return bytes;
  }
  void wait(std::chrono::microseconds time) override {
    cable_.wait(static_cast<sim::Time>(time.count()) * sim::kMicrosecond);
  }
  std::string name() const override { return "mpsse-loop"; }
  std::size_t answerRoom() const override { return bench_.mpsse().wiring().buffer; }
  const sim::InProcessStream& cable() const { return cable_; }

  std::size_t writes = 0, reads = 0, written = 0, mostUnread = 0;

 private:
  [[noreturn]] void lost(const char* how) {
    down_ = true;
    throw Error(ErrorKind::LinkLost, std::string("lost the adapter at mpsse-loop: ") + how);
  }
  sim::Bench& bench_;
  sim::InProcessStream cable_;
  bool down_ = false;
};

}  // namespace imprimo::test
