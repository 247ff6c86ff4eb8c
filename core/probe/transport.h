// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <string>
#include <thread>

#include "core/base/bytes.h"

namespace imprimo::probe {

/// How long an answer may take on top of what its packet does: for a probe that is slow, say behind a virtual machine.
constexpr std::chrono::milliseconds kPatience{5000};

/// By which clock time passes at the other end of a link.
enum class LinkTime {
  Host,     ///< this computer's, as for everything that is real
  Counted,  ///< one of its own, which goes on as commands say: a simulated bench
  Ask,      ///< whoever serves the link knows (docs/formats/bench.md)
};

/// Carries CMSIS-DAP packets to a probe and its responses back, in order. One thread at a time.
class Transport {
 public:
  virtual ~Transport() = default;
  /// Does not wait for the response. Throws LinkLost.
  virtual void send(ByteSpan request) = 0;
  /// The oldest response not yet taken. Throws LinkLost when not all of it is there within `limit`, which is kPatience
  /// and the packet's own time, when it is longer than a packet, or the link is gone.
  virtual Bytes receive(std::chrono::milliseconds limit) = 0;
  /// The largest packet that the probe takes, once it is known.
  virtual void setPacketSize(std::size_t) {}
  /// The largest packet that the link can carry.
  virtual std::size_t largestPacket() const { return 4096; }
  virtual LinkTime linkTime() const { return LinkTime::Host; }
  /// The host's clock, and waiting by it.
  virtual std::chrono::nanoseconds now() const { return std::chrono::steady_clock::now().time_since_epoch(); }
  virtual void sleep(std::chrono::nanoseconds time) { std::this_thread::sleep_for(time); }
  /// How the probe is addressed, for messages: "tcp:localhost:4711".
  virtual std::string name() const = 0;
};

}  // namespace imprimo::probe
