// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "sim/bench.h"

namespace imprimo::sim {

/// The cable of a bench's MPSSE adapter in the same process, with a host's clock beside the engine's: what is written
/// is worked on while the host goes on, and is cut off where the host leaves before it is through.
class InProcessStream {
 public:
  /// Resets the engine, as opening it does.
  explicit InProcessStream(Bench& bench);
  InProcessStream(const InProcessStream&) = delete;
  InProcessStream& operator=(const InProcessStream&) = delete;
  /// A violation where clocks are still queued.
  ~InProcessStream();

  enum class End { Done, Down, TimedOut };
  /// Ends when the chip's buffer has taken the last byte. TimedOut after `limit`: the engine waits for its host to
  /// read, or is that slow.
  End write(ByteSpan commands, Time limit);
  /// Exactly `count` bytes. TimedOut where they are not there within `limit`.
  End read(std::size_t count, Time limit, Bytes& said);
  void wait(Time time);

  Time hostTime() const { return hostTime_; }
  /// The farthest that the engine was behind its host so far.
  Time mostAhead() const { return mostAhead_; }

 private:
  void meet();

  Bench& bench_;
  Time hostTime_ = 0, mostAhead_ = 0;
  bool down_ = false;
};

}  // namespace imprimo::sim
