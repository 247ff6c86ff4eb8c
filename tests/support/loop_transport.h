// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/error.h"
#include "core/probe/byte_stream.h"
#include "core/probe/transport.h"
#include "sim/in_process_link.h"

namespace imprimo::test {

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
  const sim::InProcessLink& link() const { return link_; }

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
  explicit LoopStream(sim::Bench& bench) : bench_(bench) {}

  void write(ByteSpan bytes) override {
    ++writes;
    written += bytes.size();
    const auto said = down_ ? std::nullopt : bench_.stream(bytes);
    if (!said) lost("the link is down");
    answers_.insert(answers_.end(), said->begin(), said->end());
    mostUnread = std::max(mostUnread, answers_.size());
  }
  Bytes read(std::size_t count, std::chrono::milliseconds) override {
    ++reads;
    if (answers_.size() < count) lost("no answer");
    Bytes bytes(answers_.begin(), answers_.begin() + static_cast<std::ptrdiff_t>(count));
    answers_.erase(answers_.begin(), answers_.begin() + static_cast<std::ptrdiff_t>(count));
    return bytes;
  }
  void wait(std::chrono::microseconds time) override {
    bench_.board().wait(static_cast<sim::Time>(time.count()) * sim::kMicrosecond);
  }
  std::string name() const override { return "mpsse-loop"; }

  std::size_t writes = 0, reads = 0, written = 0, mostUnread = 0;

 private:
  [[noreturn]] void lost(const char* how) {
    down_ = true;
    throw Error(ErrorKind::LinkLost, std::string("lost the adapter at mpsse-loop: ") + how);
  }
  sim::Bench& bench_;
  Bytes answers_;
  bool down_ = false;
};

}  // namespace imprimo::test
