// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <string>

#include "core/base/bytes.h"

namespace imprimo::probe {

/// Carries CMSIS-DAP packets to a probe and its responses back, in order. One thread at a time.
class Transport {
 public:
  virtual ~Transport() = default;
  /// Does not wait for the response. Throws LinkLost.
  virtual void send(ByteSpan request) = 0;
  /// The oldest response not yet taken. Throws LinkLost when it is not there within `limit`, or the link is gone.
  virtual Bytes receive(std::chrono::milliseconds limit) = 0;
  /// The largest packet that the probe takes, once it is known.
  virtual void setPacketSize(std::size_t) {}
  /// How the probe is addressed, for messages: "tcp:localhost:4711".
  virtual std::string name() const = 0;
};

}  // namespace imprimo::probe
