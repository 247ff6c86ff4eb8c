// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <string>

#include "core/base/bytes.h"

namespace imprimo::probe {

/// How long an answer may take on top of what was asked for.
constexpr std::chrono::milliseconds kStreamPatience{2000};

/// Commands to an adapter and what it says to them, without frames. One thread at a time.
class ByteStream {
 public:
  virtual ~ByteStream() = default;
  /// Hands the bytes over; does not wait until they are worked on. Throws LinkLost.
  virtual void write(ByteSpan bytes) = 0;
  /// Exactly `count` bytes. Throws LinkLost when they are not there within `limit`.
  virtual Bytes read(std::size_t count, std::chrono::milliseconds limit) = 0;
  /// Lets time pass; at least this long.
  virtual void wait(std::chrono::microseconds time) = 0;
  /// Bytes of answers that the adapter keeps until they are read; with more of them it stops working. As few as any
  /// has, where it is not known.
  virtual std::size_t answerRoom() const { return 1024; }
  /// How the adapter is addressed, for messages.
  virtual std::string name() const = 0;
};

}  // namespace imprimo::probe
