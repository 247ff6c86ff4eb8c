// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/error.h"
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

}  // namespace imprimo::test
