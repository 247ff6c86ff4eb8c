// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/in_process_stream.h"

#include <fmt/format.h>

#include <algorithm>

namespace imprimo::sim {

InProcessStream::InProcessStream(Bench& bench) : bench_(bench), hostTime_(bench.board().now()) {
  bench_.mpsse().reset();
}

InProcessStream::~InProcessStream() {
  Board& board = bench_.board();
  if (down_ || board.now() <= hostTime_) return;
  board.violations().add(
      fmt::format("adapter: closed with {:.1f} ms of clocks still queued", toSeconds(board.now() - hostTime_) * 1000));
}

/// The engine had nothing to do until now.
void InProcessStream::meet() {
  Board& board = bench_.board();
  if (board.now() < hostTime_) board.advance(hostTime_ - board.now());
}

InProcessStream::End InProcessStream::write(ByteSpan commands, Time limit) {
  meet();
  Board& board = bench_.board();
  const std::size_t buffer = bench_.mpsse().wiring().buffer;
  const std::size_t first = commands.size() > buffer ? commands.size() - buffer : 0;
  if (!bench_.streamIn(commands)) {
    down_ = true;
    return End::Down;
  }
  // Only with the last of it in the chip's buffer is the transfer over: the rest was clocked before.
  if (bench_.mpsse().stalled() > buffer) return End::TimedOut;
  if (first > 0 && board.now() > hostTime_) {
    const double share = static_cast<double>(first) / static_cast<double>(commands.size());
    const Time taken = static_cast<Time>(static_cast<double>(board.now() - hostTime_) * share);
    if (taken > limit) return End::TimedOut;
    hostTime_ += taken;
  }
  if (board.now() > hostTime_) mostAhead_ = std::max(mostAhead_, board.now() - hostTime_);
  return End::Done;
}

InProcessStream::End InProcessStream::read(std::size_t count, Time limit, Bytes& said) {
  MpsseEngine& engine = bench_.mpsse();
  const Time until = hostTime_ + limit;
  while (said.size() < count) {
    if (engine.answers() == 0) return End::TimedOut;
    const std::size_t some = std::min(count - said.size(), engine.answers());
    const Time at = engine.answeredAt(some - 1);
    if (at > until) {
      hostTime_ = until;
      return End::TimedOut;
    }
    hostTime_ = std::max(hostTime_, at);
    const Bytes more = engine.output(some);
    said.insert(said.end(), more.begin(), more.end());
  }
  return End::Done;
}

void InProcessStream::wait(Time time) {
  Board& board = bench_.board();
  hostTime_ += time;
  if (board.now() < hostTime_) board.wait(hostTime_ - board.now());
}

}  // namespace imprimo::sim
